import type { TokenRule } from '../document/token-rule.js';
import { readConfirmation, type Confirmation } from '../proof/confirmation.js';
import { verifyProof, type ProofFacts } from '../proof/dpop-proof.js';
import { finding, type Finding } from '../verdict/codes.js';
import type { Check } from './compiled.js';
import type { Exchange } from './exchange.js';
import type { Ports } from './ports.js';

const NOTHING_ASKED = finding('proof.not-asked', {});

/**
 * Compiles the step that asks the sender to prove possession: by DPoP (RFC 9449 section 7) or by client certificate
 * (RFC 8705 section 3). A bound token is held to its binding whatever the rule says, so that it is worth nothing to a
 * thief. Only a proof that must be verified makes this step wait.
 */
export function compileProofStep(rule: TokenRule, ports: Ports): Check {
  const free = rule.dpop === 'if-bound' && rule.certificate === 'if-bound';
  return {
    step: 'proof',
    about: 'token',
    run: (exchange) => {
      const { token } = exchange;
      if (token === null) return NOTHING_ASKED;
      const bound = readConfirmation(token.claims);
      if (bound === null && free && exchange.tokenScheme === 'Bearer') return NOTHING_ASKED;
      const wrong = checkForm(exchange, bound, rule) ?? checkCertificate(exchange, bound, rule);
      if (wrong) return wrong;
      if (bound?.jkt) return checkDpop(exchange, bound.jkt, rule, ports);
      if (bound?.certificate) return finding('proof.certificate-matched', { thumbprint: bound.certificate });
      throw new Error('invariant: a binding that was asked for is a key or a certificate');
    },
  };
}

/** What can be said before anything is verified. */
function checkForm(exchange: Exchange, bound: Confirmation | null, rule: TokenRule): Finding | null {
  if (bound && bound.unknown.length > 0) return finding('proof.confirmation-unknown', { members: bound.unknown });
  if (bound?.jkt && exchange.tokenScheme === 'Bearer') return finding('proof.bound-as-bearer', {});
  if (!bound?.jkt && exchange.tokenScheme === 'DPoP') return finding('proof.not-bound', { binding: 'a DPoP key (cnf.jkt)' });
  if (!bound?.jkt && rule.dpop === 'required') return finding('proof.not-bound', { binding: 'a DPoP key (cnf.jkt)' });
  return null;
}

function checkCertificate(exchange: Exchange, bound: Confirmation | null, rule: TokenRule): Finding | null {
  const wanted = bound?.certificate ?? null;
  if (wanted === null) return rule.certificate === 'required' ? finding('proof.not-bound', { binding: 'a client certificate (cnf.x5t#S256)' }) : null;
  if (exchange.certificate === null) return finding('proof.certificate-missing', { wanted });
  return exchange.certificate === wanted ? null : finding('proof.certificate-other', { wanted, found: exchange.certificate });
}

async function checkDpop(exchange: Exchange, thumbprint: string, rule: TokenRule, ports: Ports): Promise<Finding> {
  const header = exchange.header('dpop');
  if (header === undefined) return finding('proof.missing', {});
  if (header.includes(',')) return finding('proof.repeated', { count: header.split(',').length });
  const nowMs = ports.now();
  const facts: ProofFacts = {
    method: exchange.method,
    url: exchange.origin + exchange.path,
    thumbprint,
    tokenHash: exchange.tokenDigest,
    nowMs,
    acceptsNonce: rule.dpopNonce ? (nonce) => ports.nonces.accepts(nonce, nowMs) : null,
  };
  const proof = await verifyProof(header.trim(), facts);
  if ('code' in proof) return proof;
  // The address is part of what is remembered: a jti needs to be unique only for one (RFC 9449 section 11.1).
  const replay = await ports.replay.see(`${proof.thumbprint} ${proof.jti}`, proof.madeAt, proof.rememberUntil, nowMs);
  if (replay === 'used') return finding('proof.replayed', {});
  if (replay !== 'new') return 'away' in replay ? finding('proof.away', { reason: replay.away }) : finding('proof.unknowable', { because: replay.unknowable });
  return finding('proof.verified', { alg: proof.algorithm, thumbprint: proof.thumbprint });
}
