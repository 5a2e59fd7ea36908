import { count } from '@virga/parts';
import type { ContractReading } from '@virga/protocol';
import { Mark } from '../../parts/mark';

/** What a description says and what is wrong with it. */
export function Reading({ reading }: { readonly reading: ContractReading }) {
  const errors = reading.problems.filter((item) => item.severity === 'error').length;
  return (
    <div className="stack">
      <div className={!reading.usable ? 'notice wrong' : errors > 0 ? 'notice' : 'notice fine'} role="status">
        {reading.usable ? (
          <>
            <b>{reading.title}</b> {reading.version}, OpenAPI {reading.openapi}, {count(reading.operationCount)} operations.
          </>
        ) : (
          <b>This description cannot be used.</b>
        )}{' '}
        {reading.problemCount === 0 ? 'Nothing to remark.' : `${count(reading.problemCount)} remarks${errors > 0 ? `, ${errors} of them errors` : ''}.`}
      </div>
      {reading.problems.length > 0 && (
        <div style={{ maxHeight: 260, overflow: 'auto' }}>
          <table className="list">
            <thead>
              <tr>
                <th />
                <th className="number">line</th>
                <th>Remark</th>
                <th>Place</th>
              </tr>
            </thead>
            <tbody>
              {reading.problems.map((item, index) => (
                <tr key={index}>
                  <td>
                    <Mark kind={item.severity === 'error' ? 'refused' : 'unknown'} word={item.severity} />
                  </td>
                  <td className="number">{item.line ?? ''}</td>
                  <td>{item.message}</td>
                  <td className="mono small" style={{ overflowWrap: 'anywhere' }}>
                    {item.pointer}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </div>
  );
}
