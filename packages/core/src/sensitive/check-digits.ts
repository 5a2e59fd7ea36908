const ZERO = 48;

/** Whether digits carry the check digit of ISO/IEC 7812-1 annex B (the double-add-double formula). */
export function hasLuhnDigit(digits: string): boolean {
  let sum = 0;
  for (let index = 0; index < digits.length; index++) {
    const digit = digits.charCodeAt(digits.length - 1 - index) - ZERO;
    const twice = digit * 2;
    sum += index % 2 === 0 ? digit : twice > 9 ? twice - 9 : twice;
  }
  return digits.length > 1 && sum % 10 === 0;
}

/** The remainder by 97 of a text of digits and capital letters, letters counting 10 to 35 (ISO/IEC 7064, MOD 97-10). */
export function modulo97(text: string): number {
  let rest = 0;
  for (let index = 0; index < text.length; index++) {
    const code = text.charCodeAt(index);
    rest = code >= 65 ? (rest * 100 + code - 55) % 97 : (rest * 10 + code - ZERO) % 97;
  }
  return rest;
}

/** Whether digits carry the check digit of ISO/IEC 7064, MOD 11,10. */
export function hasMod11Of10Digit(digits: string): boolean {
  let product = 10;
  for (const sign of digits.slice(0, -1)) {
    const sum = (Number(sign) + product) % 10 || 10;
    product = (sum * 2) % 11;
  }
  return (11 - product) % 10 === Number(digits.at(-1));
}

/** The sum of digits times weights; weights end where digits do. */
export const weighted = (digits: string, weights: readonly number[]): number =>
  weights.reduce((sum, weight, index) => sum + weight * (digits.charCodeAt(index) - ZERO), 0);
