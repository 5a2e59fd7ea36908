/** Where an authorizer is shown. */
export const authorizerPath = (name: string): string => `/authorizers/named/${encodeURIComponent(name)}`;
