import type { PortalSession } from '@virga/protocol';

/** Whether somebody counts as signed in: approved, and not an operator who looks as a stranger. Any other state counts as nobody. */
export const isKnown = (session: PortalSession | null): session is PortalSession =>
  session !== null && session.state === 'active' && (!session.looks || session.teams.length > 0);
