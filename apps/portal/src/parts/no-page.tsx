import { Link, useRouteError } from 'react-router';

export function NoSuchPage() {
  return (
    <>
      <h1>There is no such page</h1>
      <p>
        <Link to="/">To what there is</Link>
      </p>
    </>
  );
}

/** A page that could not be shown; the others go on. */
export function PageFault() {
  const error = useRouteError();
  return (
    <main className="page">
      <h1>This page could not be shown</h1>
      <p className="quiet">{error instanceof Error ? error.message : String(error)}</p>
      <p>
        <a href="/">Begin again</a>
      </p>
    </main>
  );
}
