export { checkUrl, isLoopback, isPublic, OutboundError, type ReachPolicy } from './address-guard.js';
export { guardedFetchFunction, type FetchOptions } from './fetch-function.js';
export { DOCUMENT_LIMITS, guardedFetch, type Fetched, type FetchLimits } from './guarded-fetch.js';
export { fetchDiscovery, fetchKeys, type DiscoveryAttempt, type FetchedKeys, type FoundDiscovery, type ProviderAddress } from './fetch-provider.js';
export {
  askBySource,
  KEY_TIMES,
  ProviderKeys,
  type AskProvider,
  type KeptKeys,
  type KeyLease,
  type KeyReport,
  type KeyTimes,
  type ProviderReport,
} from './provider-keys.js';
export { Introspector, INTROSPECTION_LIMITS, type IntrospectionReport } from './introspector.js';
export { DecisionServices, SERVICE_LIMITS } from './decision-services.js';
export { EndpointClient, type EndpointAnswer } from './endpoint-client.js';
