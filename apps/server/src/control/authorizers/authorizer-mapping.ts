import type { AuthorizerRule, ServiceCredential, ServiceSource } from '@virga/core';
import type { AuthorizerInput, ServiceCredentialDto, ServiceDto, ServiceView } from '@virga/protocol';
import { fieldProblem } from '../../http/problems.js';
import type { SecretsService } from '../../secret/secrets.service.js';

/**
 * An authorizer out of what was sent. A secret that is left out stays as it was.
 * @throws problem with the pointer of the member that cannot be used
 */
export async function authorizerFrom(input: AuthorizerInput, before: AuthorizerRule | null, secrets: SecretsService): Promise<AuthorizerRule> {
  const { name, description, passes, cases } = input;
  const [script, service, cache] = [input.script ?? null, input.service ?? null, input.cache ?? null];
  if ((script === null) === (service === null)) throw fieldProblem('/script', 'An authorizer is either a script or a service');
  return {
    name,
    description,
    by: script
      ? { kind: 'script', ...pick(script, 'source', 'timeMs', 'megabytes', 'tables'), body: script.body ?? false }
      : await serviceFrom(service as ServiceDto, before, name, secrets),
    passes: passes.map((field) => field.toLowerCase()),
    cache: cache && { seconds: cache.seconds, key: [...cache.key] },
    cases: cases.map((one) => pick(one, 'name', 'input', 'expected')),
  };
}

async function serviceFrom(dto: ServiceDto, before: AuthorizerRule | null, name: string, secrets: SecretsService): Promise<ServiceSource> {
  const { question } = dto;
  const [credential, signIn] = [dto.credential ?? null, dto.signIn ?? null];
  return {
    kind: 'service',
    ...pick(dto, 'url', 'timeoutMs', 'allowLoopbackHttp', 'privateHosts'),
    credential: credential && (await credentialFrom(credential, dto.url, before, name, secrets)),
    question: {
      ...pick(question, 'subjectType', 'subjectId', 'action', 'resourceType', 'resourceId'),
      properties: question.properties.map((property) => pick(property, 'of', 'name', 'value')),
    },
    signIn: signIn && pick(signIn, 'pointer', 'value'),
  };
}

async function credentialFrom(
  { kind, name, secret }: ServiceCredentialDto,
  url: string,
  before: AuthorizerRule | null,
  authorizer: string,
  secrets: SecretsService,
): Promise<ServiceCredential> {
  const earlier = before?.by.kind === 'service' ? before.by : null;
  // A kept secret goes to the place that it was given for, and to no other.
  const stays = earlier?.credential && new URL(earlier.url).origin === originOf(url) ? earlier.credential.secret : null;
  if (!secret && stays === null)
    throw fieldProblem(
      '/service/credential/secret',
      earlier?.credential ? 'The service is at another place: give its secret again' : 'Give the secret by which the service knows the gateway',
    );
  // Whatever could end a header field or begin another is no secret of HTTP.
  if (secret && !/^[\x21-\x7e]+$/.test(secret)) throw fieldProblem('/service/credential/secret', 'A secret has printable ASCII without blanks');
  const kept = secret ? await secrets.keep(secret, `authorizer-${authorizer.toLowerCase().replace(/[^a-z0-9]+/g, '-')}`) : (stays as string);
  if (kind === 'bearer') return { kind, secret: kept };
  if (!name || name.includes(':')) throw fieldProblem('/service/credential/name', 'Basic has a name without a colon (RFC 7617 section 2)');
  return { kind, name, secret: kept };
}

const originOf = (url: string): string | null => (URL.canParse(url) ? new URL(url).origin : null);

export function serviceView({ credential, question, signIn, ...rest }: ServiceSource): ServiceView {
  return {
    ...pick(rest, 'url', 'timeoutMs', 'allowLoopbackHttp'),
    privateHosts: [...rest.privateHosts],
    credential: credential && { kind: credential.kind, name: credential.kind === 'basic' ? credential.name : null },
    question: { ...question, properties: question.properties.map((property) => ({ ...property })) },
    signIn: signIn && { ...signIn },
  };
}

/** Some members of an object: whatever else was sent stays out. */
function pick<T, K extends keyof T>(of: T, ...names: K[]): Pick<T, K> {
  return Object.fromEntries(names.map((name) => [name, of[name]])) as Pick<T, K>;
}
