import { decodeBase64url, isCanonicalBase64url } from '../util/base64url.js';

/**
 * Small primes by which moduli of one faulty generator give themselves away: their remainders are all powers of 65537.
 * Nemec and others, “The Return of Coppersmith's Attack”, 2017 (CVE-2017-15361); the list is from memory, the check is
 * held by the Wycheproof key vectors. A sound modulus passes by chance once in about 2^27.
 */
const PRIMES = [11, 13, 17, 19, 37, 53, 61, 71, 73, 79, 97, 103, 107, 109, 127, 151, 157] as const;
const GENERATOR = 65_537;

const POWERS: ReadonlyMap<number, ReadonlySet<number>> = new Map(
  PRIMES.map((prime) => {
    const powers = new Set<number>();
    for (let value = 1; !powers.has(value); value = (value * (GENERATOR % prime)) % prime) powers.add(value);
    return [prime, powers];
  }),
);

/** Why an RSA public key of enough bits is weak all the same, in words; null when nothing speaks against it. */
export function rsaWeakness(modulus: unknown, exponent: unknown): string | null {
  const e = numberOf(exponent);
  if (e === null || e < 3n || e % 2n === 0n) return `its public exponent is ${e === null ? 'no number' : String(e)}; an odd number of at least 3 is needed`;
  const n = numberOf(modulus);
  if (n === null || n % 2n === 0n) return 'its modulus is even or no number';
  const marked = PRIMES.every((prime) => POWERS.get(prime)?.has(Number(n % BigInt(prime))) === true);
  return marked ? 'it was made by a faulty generator and its private part can be computed (CVE-2017-15361)' : null;
}

function numberOf(text: unknown): bigint | null {
  if (typeof text !== 'string' || text === '' || !isCanonicalBase64url(text)) return null;
  let hex = '';
  for (const byte of decodeBase64url(text)) hex += byte.toString(16).padStart(2, '0');
  return BigInt(`0x${hex}`);
}
