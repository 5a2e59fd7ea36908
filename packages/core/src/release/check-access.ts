import type { AccessRule } from '../document/access-rule.js';
import { arrayOf, fail, oneOf, recordOf, textOf, textsOf } from './check-values.js';

/**
 * Checks the form of a rule about who may call. A kind that nobody knows, or a list that is none, would otherwise count
 * as nothing asked. @throws ConfigError
 */
export function checkAccess(rule: AccessRule, at: string): void {
  const { kind, alternatives } = recordOf(rule, at);
  oneOf(kind, ['open', 'public', 'required'], `${at}/kind`);
  if (kind !== 'required') return;
  arrayOf(alternatives, `${at}/alternatives`).forEach((alternative, index) =>
    arrayOf(alternative, `${at}/alternatives/${index}`).forEach((requirement, position) => {
      const pointer = `${at}/alternatives/${index}/${position}`;
      const { scheme, scopes, match, roles } = recordOf(requirement, pointer);
      if (textOf(scheme, `${pointer}/scheme`) === '') fail(`${pointer}/scheme`, 'no scheme is named');
      textsOf(scopes, `${pointer}/scopes`);
      oneOf(match, ['all', 'any'], `${pointer}/match`);
      textsOf(roles, `${pointer}/roles`);
    }),
  );
}
