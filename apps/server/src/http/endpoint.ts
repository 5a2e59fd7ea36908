import { applyDecorators, HttpCode, type Type } from '@nestjs/common';
import { ApiBody, ApiExtraModels, ApiOperation, ApiResponse } from '@nestjs/swagger';

export interface EndpointFacts {
  readonly summary: string;
  /** DTO class of the answer; left out when there is none. */
  readonly answer?: Type;
  readonly status?: number;
  readonly body?: Type;
  /** Statuses of errors beyond 401, 403, 422 and 500, which all endpoints have. */
  readonly errors?: readonly number[];
}

const ERROR_TITLES: Readonly<Record<number, string>> = {
  401: 'No credential, or a wrong one',
  403: 'The CSRF token is missing or wrong',
  404: 'There is no such thing',
  409: 'Something else is in the way',
  412: 'It is not any more what the edit began from',
  413: 'The request is too large',
  422: 'A field of the request cannot be used; `errors` has pointers',
  429: 'Too many attempts',
  500: 'The control plane failed',
  502: 'Something outside did not answer as it should',
  503: 'No gateway node is connected',
};

/** Describes one endpoint for the API's own OpenAPI document. */
export function Endpoint(facts: EndpointFacts): MethodDecorator {
  const ref = (type: Type) => ({ $ref: `#/components/schemas/${type.name}` });
  const errors = [...new Set([401, 403, 422, 500, ...(facts.errors ?? [])])].sort();
  const status = facts.status ?? (facts.answer ? 200 : 204);
  return applyDecorators(
    ApiOperation({ summary: facts.summary }),
    HttpCode(status),
    ...(facts.body ? [ApiExtraModels(facts.body), ApiBody({ required: true, schema: ref(facts.body) })] : []),
    facts.answer
      ? ApiResponse({ status, description: 'Done', content: { 'application/json': { schema: ref(facts.answer) } } })
      : ApiResponse({ status, description: 'Done' }),
    ...errors.map((code) =>
      ApiResponse({
        status: code,
        description: ERROR_TITLES[code] ?? 'Error',
        content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/ProblemDocument' } } },
      }),
    ),
  );
}
