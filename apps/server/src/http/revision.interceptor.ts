import { Injectable, type CallHandler, type ExecutionContext, type NestInterceptor } from '@nestjs/common';
import type { Response } from 'express';
import { tap, type Observable } from 'rxjs';

/** Says the revision of what is answered in `ETag` (RFC 9110 section 8.8.3), where the answer has one. */
@Injectable()
export class RevisionInterceptor implements NestInterceptor {
  intercept(context: ExecutionContext, next: CallHandler): Observable<unknown> {
    const response = context.switchToHttp().getResponse<Response>();
    return next.handle().pipe(
      tap((answer: unknown) => {
        const revision = (answer as { readonly revision?: unknown } | null | undefined)?.revision;
        if (typeof revision === 'string') response.setHeader('etag', `"${revision}"`);
      }),
    );
  }
}
