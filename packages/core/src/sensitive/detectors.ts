import type { DetectorRule } from '../document/sensitive-rule.js';
import { CONTACT_DETECTORS } from './contact-detectors.js';
import { CREDENTIAL_DETECTORS } from './credential-detectors.js';
import type { Detector } from './detector.js';
import { IDENTITY_DETECTORS } from './identity-detectors.js';
import { NETWORK_DETECTORS } from './network-detectors.js';
import { ownDetector } from './own-detector.js';
import { PAYMENT_DETECTORS } from './payment-detectors.js';

/** Detectors that every release knows. */
export const DETECTORS: readonly Detector[] = [
  ...CONTACT_DETECTORS,
  ...PAYMENT_DETECTORS,
  ...CREDENTIAL_DETECTORS,
  ...NETWORK_DETECTORS,
  ...IDENTITY_DETECTORS,
];

const BUILT_IN: ReadonlyMap<string, Detector> = new Map(DETECTORS.map((one) => [one.id, one]));

export const isBuiltIn = (id: string): boolean => BUILT_IN.has(id);

/** Finds detectors by their ids, of those that every release knows and of those of this one; each is made once. @throws Error for an id that nobody knows */
export function detectorFinder(own: readonly DetectorRule[]): (id: string) => Detector {
  const made = new Map<string, Detector>();
  return (id) => {
    const known = BUILT_IN.get(id) ?? made.get(id);
    if (known) return known;
    const rule = own.find((one) => one.id === id);
    if (!rule) throw new Error(`there is no detector ${id}`);
    const fresh = ownDetector(rule);
    made.set(id, fresh);
    return fresh;
  };
}

/** The detectors of some ids. @throws Error for an id that nobody knows */
export const detectorsFor = (ids: readonly string[], own: readonly DetectorRule[]): Detector[] => ids.map(detectorFinder(own));
