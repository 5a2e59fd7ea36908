/** Fields that hold credentials, addresses of hops or versions of programs by what they are. */
const EXPECTED = new Set([
  ...['authorization', 'proxy-authorization', 'cookie', 'dpop', 'client-cert', 'host', 'via', 'user-agent', 'server', 'x-powered-by'],
  ...['forwarded', 'x-forwarded-for', 'x-real-ip', 'traceparent', 'tracestate'],
]);

/** Whether a header field of a request is not looked through for sensitive data: what it holds belongs there. @param name in small letters */
export const isExpectedHeader = (name: string): boolean => EXPECTED.has(name) || name.startsWith('sec-');
