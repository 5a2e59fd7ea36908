import { createParamDecorator, type ExecutionContext } from '@nestjs/common';
import { problem } from '../http/problems.js';
import type { CalledRequest } from './access.guard.js';

/** Who edits, and the revision that the edit began from (RFC 9110 section 13.1.1); null where none was named. */
export interface EditedBy {
  readonly by: string;
  readonly ifMatch: string | null;
}

/** The author of an edit and its `If-Match`. A condition that cannot be read is refused: it must not count as none. */
export const Edited = createParamDecorator((_data: unknown, context: ExecutionContext): EditedBy => {
  const { caller, headers } = context.switchToHttp().getRequest<CalledRequest>();
  if (!caller) throw new Error('invariant: the guard ran');
  return { by: caller.name, ifMatch: revisionIn(headers['if-match']) };
});

function revisionIn(header: string | undefined): string | null {
  if (header === undefined || header.trim() === '*') return null;
  const revision = /^\s*"([\w-]{1,64})"\s*$/.exec(header)?.[1];
  if (revision === undefined) throw problem(400, 'If-Match cannot be read', 'Send the revision in quotes, as it stands in ETag, or *.');
  return revision;
}
