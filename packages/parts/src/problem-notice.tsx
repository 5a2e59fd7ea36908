import { ApiProblem } from './call-api';

/** An error in words, with each field that was wrong. */
export function ProblemNotice({ error }: { readonly error: unknown }) {
  if (!error) return null;
  const problem = error instanceof ApiProblem ? error : null;
  // Which revisions met is for programs; people are told what differs.
  const fields = problem?.status === 412 ? problem.fields.filter(({ pointer }) => pointer !== '') : (problem?.fields ?? []);
  return (
    <div className="notice wrong" role="alert">
      <b>{error instanceof Error ? error.message : String(error)}</b>
      {problem?.detail && problem.detail !== fields[0]?.detail && <div>{problem.detail}</div>}
      {fields.slice(0, 12).map((field) => (
        <div key={field.pointer + field.detail} className="small breaks">
          {field.detail} <span className="quiet mono">{field.pointer}</span>
        </div>
      ))}
    </div>
  );
}
