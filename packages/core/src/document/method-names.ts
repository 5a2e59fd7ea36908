/** Methods an operation may have: those of OpenAPI 3.1.2 section 4.8.9. */
export const METHOD_NAMES = ['GET', 'PUT', 'POST', 'DELETE', 'OPTIONS', 'HEAD', 'PATCH', 'TRACE'] as const;
