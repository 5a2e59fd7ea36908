import { judgeHolder } from '../credential/judge-holder.js';
import { finding } from '../verdict/codes.js';
import type { Check } from './compiled.js';
import type { Ports } from './ports.js';

const NOT_SENT = finding('certificate.not-sent', {});

/**
 * Compiles the step that finds the client of a certificate. The handshake, or the hop that is trusted to say so, has proved
 * the key; the certificate itself was given to the client here, so nobody else need vouch for it (RFC 8705 section 2.2).
 */
export function compileCertificateStep({ directory, now }: Ports): Check {
  return {
    step: 'certificate',
    about: 'certificate',
    run: (exchange) => {
      const { certificate } = exchange;
      if (certificate === null) return NOT_SENT;
      const holder = directory().find('certificate', certificate);
      if (holder === null) return finding('certificate.unknown', { thumbprint: certificate });
      const wrong = judgeHolder('certificate', holder, now());
      if (wrong) return wrong;
      exchange.proved({ kind: 'certificate', holder });
      return finding('certificate.known', { client: holder.client.name, name: holder.credential.name, thumbprint: certificate });
    },
  };
}
