import { takesTokens, type SchemeRule } from '../document/release-document.js';
import { checkPlace } from './check-token-rule.js';
import { fail } from './check-values.js';

/** Checks one security scheme: who proves it and where its key travels. @throws ConfigError */
export function checkScheme(scheme: SchemeRule, providers: ReadonlySet<string>, at: string): void {
  if (scheme.name === '') fail(`${at}/name`, 'a security scheme has a name');
  scheme.providers.forEach((id, position) => {
    if (!providers.has(id)) fail(`${at}/providers/${position}`, `there is no provider ${id}`);
  });
  if (scheme.providers.length > 0 && !takesTokens(scheme.type)) fail(`${at}/providers`, `no token meets a scheme of type ${scheme.type}`);
  if (scheme.type === 'apiKey') checkPlace(scheme.place ?? fail(`${at}/place`, 'say where the key travels'), `${at}/place`);
  else if (scheme.place !== null) fail(`${at}/place`, 'only the key of a scheme of type apiKey has a place');
}
