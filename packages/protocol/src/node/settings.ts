/** Every setting that a program of this release reads from its environment. */
export const SETTING_NAMES: readonly string[] = [
  'VIRGA_CONSOLE_URL',
  'VIRGA_CONTROL_TOKEN',
  'VIRGA_CONTROL_URL',
  'VIRGA_DATA',
  'VIRGA_ENVIRONMENT',
  'VIRGA_GATEWAY_HOST',
  'VIRGA_GATEWAY_PORT',
  'VIRGA_GATEWAY_URL',
  'VIRGA_HOST',
  'VIRGA_NODE_DIR',
  'VIRGA_NODE_NAME',
  'VIRGA_NODE_TOKEN',
  'VIRGA_OPERATOR_PASSWORD',
  'VIRGA_PORT',
  'VIRGA_PORTAL_HOPS',
  'VIRGA_PORTAL_PORT',
  'VIRGA_PORTAL_URL',
  'VIRGA_REDIS_SERVER',
  'VIRGA_REDIS_URL',
  'VIRGA_STANDIN_DATA',
  'VIRGA_STANDIN_PORT',
  'VIRGA_TLS_CERTIFICATE',
  'VIRGA_TLS_KEY',
  'VIRGA_TLS_PORT',
  'VIRGA_TLS_URL',
];

/** What a platform of containers adds by itself for a service whose name begins like these settings (common practice). */
const OF_PLATFORM = /_(?:SERVICE_HOST|SERVICE_PORT(?:_\w+)?|PORT_\d+_(?:TCP|UDP)(?:_\w+)?)$/;

/**
 * Refuses settings that no program reads: one that is misspelt would count as left out, and a store that nodes share as none.
 * @throws Error in words
 */
export function checkSettingNames(env: Readonly<Record<string, string | undefined>>): void {
  const unknown = Object.keys(env).find((name) => /^virga_/i.test(name) && !SETTING_NAMES.includes(name) && !OF_PLATFORM.test(name));
  if (unknown !== undefined) throw new Error(`there is no setting ${unknown}; there are ${SETTING_NAMES.join(', ')}`);
}

/** Scheme, host and port as an address; IPv6 stands in brackets there (RFC 3986 section 3.2.2). */
export const originAt = (host: string, port: number, scheme: 'http' | 'https' = 'http'): string =>
  `${scheme}://${host.includes(':') ? `[${host}]` : host}:${port}`;
