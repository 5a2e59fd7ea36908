import { count } from '@virga/parts';
import type { FallView } from '@virga/protocol';
import { Link } from 'react-router';
import { withQuery } from '../../client/api';

/** The numbers behind the fall. */
export function FallTable({ fall }: { readonly fall: FallView }) {
  const link = (query: Record<string, string>) => withQuery('/traces', { since: fall.from, ...query });
  return (
    <table className="list">
      <thead>
        <tr>
          <th>Layer</th>
          <th>Reason</th>
          <th className="number">requests</th>
        </tr>
      </thead>
      <tbody>
        {fall.layers.flatMap((layer) => [
          ...layer.reasons.map((reason) => (
            <tr key={reason.code}>
              <td>{layer.name}</td>
              <td>
                <Link to={link({ outcome: 'refused', code: reason.code })}>{reason.title}</Link> <span className="mono quiet small">{reason.code}</span>
              </td>
              <td className="number">{count(reason.count)}</td>
            </tr>
          )),
          ...layer.wouldReasons.map((reason) => (
            <tr key={`would ${reason.code}`}>
              <td>{layer.name}</td>
              <td>
                <span className="ochre">only observed: </span>
                <Link to={link({ outcome: 'would-refuse', code: reason.code })}>{reason.title}</Link> <span className="mono quiet small">{reason.code}</span>
              </td>
              <td className="number">{count(reason.count)}</td>
            </tr>
          )),
        ])}
        <tr>
          <td>Preflight</td>
          <td>answered by the gateway</td>
          <td className="number">{count(fall.answered)}</td>
        </tr>
        <tr>
          <td>Upstream</td>
          <td>
            <Link to={link({ outcome: 'passed' })}>forwarded</Link>
          </td>
          <td className="number">{count(fall.forwarded)}</td>
        </tr>
        <tr>
          <td />
          <td>all</td>
          <td className="number">
            <b>{count(fall.total)}</b>
          </td>
        </tr>
      </tbody>
    </table>
  );
}
