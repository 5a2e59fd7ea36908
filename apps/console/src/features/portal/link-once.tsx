import { Ago, Copyable } from '@virga/parts';
import type { InvitationMade } from '@virga/protocol';

/** A link that is good once and shown once. */
export function LinkOnce({ made: { link, invitation } }: { readonly made: InvitationMade }) {
  return (
    <div className="notice fine" role="status">
      Give this link to whom it is for. It is good once, shown this once, and ends <Ago at={invitation.expiresAt} />.
      <div className="row wrap">
        <code className="breaks" data-secret>
          {link}
        </code>
        <Copyable text={link} shown="copy" />
      </div>
    </div>
  );
}
