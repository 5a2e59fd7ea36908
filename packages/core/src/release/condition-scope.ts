import type { ConditionScope } from '../condition/condition-input.js';
import type { ApiRule, OperationRule, ReleaseDocument } from '../document/release-document.js';
import { CREDENTIAL_HEADERS } from '../condition/text-forms.js';
import { parameterNames, readTemplate } from '../route/path-template.js';

/**
 * What is known of the requests that a condition of some operations of an API looks at: path parameters that all of them
 * have, own members of the claim maps of all providers whose tokens one of them takes, and where they take credentials of their own.
 * @throws ConfigError for a path that is no template
 */
export function conditionScope(document: ReleaseDocument, api: ApiRule, operations: readonly OperationRule[]): ConditionScope {
  const sets = operations.map(({ path }) => parameterNames(readTemplate(path, '')));
  const [first = []] = sets;
  const schemes = new Map(api.schemes.map((scheme) => [scheme.name, scheme]));
  const taken = new Set(
    operations.flatMap(({ access: own }) => {
      const access = own ?? api.access;
      if (access.kind !== 'required') return [];
      return access.alternatives.flatMap((alternative) => alternative.flatMap(({ scheme }) => schemes.get(scheme)?.providers ?? []));
    }),
  );
  const attributes = document.providers.filter(({ id }) => taken.has(id)).flatMap(({ claimMap }) => claimMap.attributes.map(({ name }) => name));
  const places = [...api.token.places, ...operations.flatMap(({ token }) => token?.places ?? []), ...api.schemes.flatMap(({ place }) => place ?? [])];
  const unshown = places.flatMap(({ kind, name }) => {
    if (kind === 'query') return [`query.${name}`];
    return kind === 'header' && !CREDENTIAL_HEADERS.has(name.toLowerCase()) ? [`headers.${name.toLowerCase()}`] : [];
  });
  return {
    parameters: first.filter((name) => sets.every((set) => set.includes(name))),
    attributes: [...new Set(attributes)],
    tables: null,
    ...(unshown.length === 0 ? {} : { unshown: [...new Set(unshown)] }),
  };
}
