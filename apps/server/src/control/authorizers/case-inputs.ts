import { Injectable } from '@nestjs/common';
import { METHOD_NAMES, type TracedCaller } from '@virga/core';
import type { CaseInputView, InputOfTrace } from '@virga/protocol';
import { notFound } from '../../http/problems.js';
import { findTrace } from '../../store/record-store.js';
import { TableRow } from '../../store/models/tables.js';
import { DraftService } from '../releases/draft.service.js';

/** Rows of a table that go into an input at most; more are left for whoever writes the case. */
const MOST_ROWS = 20;
const LEFT_OUT: ReadonlySet<string> = new Set(['authorization', 'proxy-authorization', 'cookie', 'dpop']);

interface TracedRequest {
  readonly query: string;
  readonly requestHeaders: readonly (readonly [string, string])[];
  readonly requestBytes: number;
  readonly who?: TracedCaller | null;
}

/** Makes inputs of cases out of requests that were recorded. */
@Injectable()
export class CaseInputs {
  constructor(private readonly draft: DraftService) {}

  /** The input of a case, as a recorded request was: what its trace keeps of it. */
  async inputOf({ traceId, tables }: InputOfTrace): Promise<CaseInputView> {
    const row = await findTrace(traceId);
    if (!row) throw notFound('trace');
    const { query, requestHeaders, requestBytes, who } = JSON.parse(row.body) as TracedRequest;
    const api = this.draft.document.apis.find(({ id }) => id === row.apiId);
    const operation = api?.operations.find(({ id }) => id === row.operationId);
    const headers = requestHeaders.filter(([name]) => !LEFT_OUT.has(name.toLowerCase())).map(([name, value]) => [name.toLowerCase(), value] as const);
    const provider = this.draft.document.providers.find(({ id }) => id === row.providerId);
    const input = {
      principal: {
        ...(row.subject === null ? {} : { subject: row.subject }),
        ...(provider ? { issuer: provider.issuer, provider: provider.name } : {}),
        ...saidBy(who?.principal ?? null),
      },
      client: row.client === null ? {} : { id: row.client },
      credentials: row.subject === null && row.client === null ? [] : ['token'],
      request: {
        method: (METHOD_NAMES as readonly string[]).includes(row.method) ? row.method : 'GET',
        path: row.path,
        operation: row.operationId ?? '',
        parameters: operation && api ? parametersOf(`${api.basePath}${operation.path}`, row.path) : {},
        query: Object.fromEntries(new URLSearchParams(query)),
        headers: Object.fromEntries(headers),
        address: row.address,
      },
      resource: Object.fromEntries(await Promise.all(tables.map(async (name) => [name, await rowsOf(name)] as const))),
      now: new Date(Number(row.at)).toISOString(),
    };
    const missing = [
      (row.subject === null && row.client === null) || (who !== undefined && who !== null)
        ? ''
        : 'This trace keeps no claims: put in the roles, scopes and attributes that the caller had.',
      requestBytes > 0 ? 'No trace keeps a body: where the authorizer is shown it, put it in as request.body.' : '',
    ];
    return { input: JSON.stringify(input, null, 2), missing: missing.filter(Boolean).join(' ') };
  }
}

/** What the token of a recorded request said, as scripts and conditions see it; empty lists where that was not kept. */
function saidBy(principal: TracedCaller['principal']): Record<string, unknown> {
  if (principal === null) return { roles: [], scopes: [], attributes: {} };
  const { scopes, roles, groups, tenant, acr, amr, authTime, attributes, unread = [] } = principal;
  const lists = Object.entries({ roles, scopes, groups, amr }).filter(([member]) => !unread.includes(member));
  return {
    ...Object.fromEntries(lists),
    ...(tenant === null ? {} : { tenant }),
    ...(acr === null ? {} : { acr }),
    ...(authTime === null ? {} : { signedInAt: new Date(authTime * 1000).toISOString() }),
    attributes: Object.fromEntries(
      Object.entries(attributes).filter(([attribute, values]) => values.length > 0 && !unread.includes(`attributes.${attribute}`)),
    ),
  };
}

/** Values of a template's parameters in a path; none where it does not fit. */
function parametersOf(template: string, path: string): Record<string, string> {
  const names = template.split('/');
  const values = path.split('/');
  if (names.length !== values.length) return {};
  return Object.fromEntries(
    names.flatMap((name, index) => {
      const parameter = /^\{(.+)\}$/.exec(name)?.[1];
      return parameter === undefined ? [] : [[parameter, decoded(values[index] ?? '')]];
    }),
  );
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}

async function rowsOf(name: string): Promise<Record<string, Record<string, string>>> {
  const row = await TableRow.findByPk(name, { raw: true });
  if (!row || row.rowCount > MOST_ROWS) return {};
  const columns = JSON.parse(row.columns) as string[];
  const at = columns.indexOf(row.keyColumn);
  return Object.fromEntries(
    (JSON.parse(row.rows) as string[][]).map((cells) => [cells[at] ?? '', Object.fromEntries(columns.map((column, index) => [column, cells[index] ?? '']))]),
  );
}
