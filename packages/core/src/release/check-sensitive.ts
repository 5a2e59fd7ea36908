import { CONTRACT_BODY_BYTES } from '../document/contract-rule.js';
import { MOST_DETECTORS, type DetectorRule, type SensitiveRule } from '../document/sensitive-rule.js';
import { isBuiltIn } from '../sensitive/detectors.js';
import { patternFault } from '../sensitive/own-detector.js';
import { fail, unique, within } from './check-values.js';

/** Checks detectors of one's own. @throws ConfigError */
export function checkDetectors(rules: readonly DetectorRule[], at: string): void {
  if (rules.length > MOST_DETECTORS) fail(at, `at most ${MOST_DETECTORS} detectors of one's own`);
  rules.forEach(({ id, name, pattern }, index) => {
    if (!/^own-[a-z0-9-]{1,40}$/.test(id)) fail(`${at}/${index}/id`, 'begins with own- and has small letters, digits and dashes');
    if (name.length > 80) fail(`${at}/${index}/name`, 'a name has at most 80 characters');
    const fault = patternFault(pattern);
    if (fault !== null) fail(`${at}/${index}/pattern`, fault);
  });
  unique(
    rules.map(({ id }) => id),
    (index) => `${at}/${index}/id`,
    'two detectors have the same id',
  );
}

/** Checks what sensitive data is looked for. @param own detectors of the release @throws ConfigError */
export function checkSensitive({ uses, bodyBytes }: SensitiveRule, own: ReadonlySet<string>, at: string): void {
  within(bodyBytes, ...CONTRACT_BODY_BYTES, `${at}/bodyBytes`);
  uses.forEach(({ detector, request, answer }, index) => {
    if (!isBuiltIn(detector) && !own.has(detector)) fail(`${at}/uses/${index}/detector`, `there is no detector ${detector}`);
    if (request === null && answer === null) fail(`${at}/uses/${index}`, 'a detector that looks nowhere is left out');
  });
  unique(
    uses.map(({ detector }) => detector),
    (index) => `${at}/uses/${index}/detector`,
    'a detector is named twice',
  );
}
