import { Injectable, type CallHandler, type ExecutionContext, type NestInterceptor } from '@nestjs/common';
import type { Request, Response } from 'express';
import { tap, type Observable } from 'rxjs';

/**
 * Says the revision of what is answered in `ETag`, for `If-Match` (RFC 9110 section 13.1.1), where the answer has one. It is
 * the revision of the part in the draft; what is beside it (states, counts, times) changes without it, so that no answer
 * may be kept, and none is left out because the caller has an older one.
 */
@Injectable()
export class RevisionInterceptor implements NestInterceptor {
  intercept(context: ExecutionContext, next: CallHandler): Observable<unknown> {
    const http = context.switchToHttp();
    const response = http.getResponse<Response>();
    const { headers } = http.getRequest<Request>();
    delete headers['if-none-match'];
    delete headers['if-modified-since'];
    response.setHeader('cache-control', 'no-store');
    return next.handle().pipe(
      tap((answer: unknown) => {
        const revision = (answer as { readonly revision?: unknown } | null | undefined)?.revision;
        if (typeof revision === 'string') response.setHeader('etag', `"${revision}"`);
      }),
    );
  }
}
