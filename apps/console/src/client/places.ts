/** Where an authorizer is shown. */
export const authorizerPath = (name: string): string => `/authorizers/named/${encodeURIComponent(name)}`;

/** Address of the page of an operation. */
export const operationPath = (id: string, operationId: string): string => `/apis/${id}/operations/${encodeURIComponent(operationId)}`;
