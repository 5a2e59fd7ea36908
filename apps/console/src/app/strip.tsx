import Button from '@mui/material/Button';
import { useState } from 'react';
import { Link } from 'react-router';
import { Ago } from '@virga/parts';
import { PublishDialog } from '../features/releases/publish-dialog';
import { Mark } from '../parts/mark';
import { useStanding } from '../client/standing';

/** Environment, what is live, what is not. Always there, so that nobody wonders why a change has no effect. */
export function Strip({ onFind }: { readonly onFind: () => void }) {
  const { data: standing, isError } = useStanding();
  const [publishing, setPublishing] = useState(false);
  return (
    <header className="strip">
      {standing && (
        <>
          <span className="hide-narrow">
            <b>{standing.environment}</b>
          </span>
          <span className="rule hide-narrow" />
          <Live standing={standing} />
          <span className="rule" />
          {standing.changeCount === 0 ? (
            <span className="quiet">nothing unpublished</span>
          ) : (
            <>
              <Link to="/releases" className="ochre">
                <b>{standing.changeCount === 1 ? '1 change' : `${standing.changeCount} changes`}</b> not published
              </Link>
              <Button variant="outlined" component={Link} to="/releases">
                Compare
              </Button>
              <Button variant="contained" onClick={() => setPublishing(true)}>
                Publish
              </Button>
            </>
          )}
        </>
      )}
      {standing && <Trouble standing={standing} />}
      {isError && <span className="rust">The control plane is away; the gateway serves on</span>}
      <button className="find" onClick={onFind}>
        Find anything <kbd>Ctrl K</kbd>
      </button>
      {publishing && <PublishDialog onClose={() => setPublishing(false)} />}
    </header>
  );
}

/** What does not work now: nothing can be written, work in the background fails, a node has something to say. */
function Trouble({ standing }: { readonly standing: NonNullable<ReturnType<typeof useStanding>['data']> }) {
  const nodes = standing.nodes.flatMap((node) => (node.problem === null ? [] : [`node ${node.name}: ${node.problem}`]));
  const said = [...(standing.storage === null ? [] : [`nothing can be written: ${standing.storage}`]), ...standing.failing, ...nodes];
  const [first] = said;
  if (first === undefined) return null;
  return (
    <span role="alert" className="clip" style={{ maxWidth: 300 }}>
      <Link to="/releases" className="rust" title={said.join('\n')}>
        {first}
        {said.length > 1 && ` and ${said.length - 1} more`}
      </Link>
    </span>
  );
}

function Live({ standing }: { readonly standing: NonNullable<ReturnType<typeof useStanding>['data']> }) {
  const { live, nodes } = standing;
  if (!live) return <span className="quiet">nothing is live yet</span>;
  const serving = nodes.filter((node) => node.state === 'connected' && node.release === live.number).length;
  const all = serving === nodes.length && nodes.length > 0;
  return (
    <Link to="/releases" className="row" style={{ textDecoration: 'none', gap: 6 }}>
      <Mark kind={all ? 'passed' : 'unknown'} />
      <span>
        <b>Release {live.number}</b> live{' '}
        <span className="quiet">
          <Ago at={live.publishedAt} />, on {serving} of {nodes.length} {nodes.length === 1 ? 'node' : 'nodes'}
        </span>
      </span>
    </Link>
  );
}
