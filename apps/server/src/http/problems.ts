import { Catch, HttpException, Logger, type ArgumentsHost, type ExceptionFilter, type ValidationError } from '@nestjs/common';
import { ConfigError } from '@virga/core';
import type { FieldProblem, PartVersion, ProblemDocument } from '@virga/protocol';
import type { Response } from 'express';
import { STATUS_CODES } from 'node:http';
import { storageProblem } from '../store/store.js';

/** What an edit began from and what there is now. */
interface Versions {
  readonly began: PartVersion;
  readonly now: PartVersion;
}

/** An error of the control API as a problem document (RFC 9457). */
export function problem(status: number, title: string, detail?: string, errors?: FieldProblem[], versions?: Versions): HttpException {
  const document: ProblemDocument = {
    type: 'about:blank',
    title,
    status,
    ...(detail === undefined ? {} : { detail }),
    ...(errors === undefined ? {} : { errors }),
    ...versions,
  };
  return new HttpException(document, status);
}

export const notFound = (what: string): HttpException => problem(404, `There is no such ${what}`);

/** One wrong field outside of what validation finds by itself. */
export const fieldProblem = (pointer: string, detail: string): HttpException =>
  problem(422, 'Something in the request cannot be used', detail, [{ pointer, detail }]);

/** Turns what class-validator found into pointers (RFC 6901). */
export function validationProblem(errors: ValidationError[]): HttpException {
  const fields: FieldProblem[] = [];
  const walk = (list: ValidationError[], at: string): void => {
    for (const error of list) {
      const pointer = `${at}/${error.property.replaceAll('~', '~0').replaceAll('/', '~1')}`;
      for (const detail of Object.values(error.constraints ?? {})) fields.push({ pointer, detail });
      walk(error.children ?? [], pointer);
    }
  };
  walk(errors, '');
  return problem(422, 'Something in the request cannot be used', fields[0]?.detail, fields.slice(0, 100));
}

type BodyError = Error & { status?: number; type?: string };

/** The one place where errors become answers. Faults are logged in full and told in short. */
@Catch()
export class ProblemFilter implements ExceptionFilter {
  readonly #log = new Logger('control');

  catch(error: unknown, host: ArgumentsHost): void {
    const response = host.switchToHttp().getResponse<Response>();
    if (response.headersSent) {
      response.end();
      return;
    }
    const document = this.#document(error);
    response.status(document.status).type('application/problem+json').set('cache-control', 'no-store').send(JSON.stringify(document));
  }

  #document(error: unknown): ProblemDocument {
    if (error instanceof HttpException) {
      const body = error.getResponse();
      if (typeof body === 'object' && 'title' in body) return body as ProblemDocument;
      return { type: 'about:blank', title: STATUS_CODES[error.getStatus()] ?? 'Error', status: error.getStatus(), detail: error.message };
    }
    if (error instanceof ConfigError)
      return {
        type: 'about:blank',
        title: 'This cannot be used',
        status: 422,
        detail: error.message,
        errors: [{ pointer: error.pointer, detail: error.message }],
      };
    const storage = storageProblem(error);
    if (storage !== null) {
      const status = storage === 'the disk is full' ? 507 : 503;
      return { type: 'about:blank', title: 'This cannot be written now', status, detail: `${storage}. Nothing was changed; the gateway serves on.` };
    }
    const parser = error as BodyError;
    if (typeof parser.status === 'number' && parser.status < 500) {
      const titles: Readonly<Record<string, string>> = {
        'entity.too.large': 'The request is too large',
        'entity.nested': 'The request is nested too deep',
        'entity.twice': 'A member of the request stands twice',
      };
      const title = titles[parser.type ?? ''] ?? 'The request body is not valid JSON';
      return { type: 'about:blank', title, status: parser.status, detail: parser.message };
    }
    this.#log.error(error instanceof Error ? (error.stack ?? error.message) : String(error));
    return { type: 'about:blank', title: 'The control plane failed on this request', status: 500, detail: 'Its log has the reason.' };
  }
}
