import { isRouteErrorResponse, Link, useRouteError } from 'react-router';

export function NoSuchScreen() {
  return (
    <div className="empty">
      <h2>There is no such screen</h2>
      <p>
        The address may be of something that was taken out. <Link to="/">Back to the Overlook</Link>
      </p>
    </div>
  );
}

/** Shown in place of a screen that failed; the rest of the console stays. */
export function ScreenFault() {
  const error = useRouteError();
  const text = isRouteErrorResponse(error) ? error.statusText : error instanceof Error ? error.message : String(error);
  return (
    <div className="empty" role="alert">
      <h2>This screen failed</h2>
      <p className="rust">{text}</p>
      <button className="link" onClick={() => window.location.reload()}>
        Load it again
      </button>
    </div>
  );
}
