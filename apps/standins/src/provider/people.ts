import type { House, Person, Program } from './house.js';

const PASSWORD = 'shared-water';

const PEOPLE: readonly Person[] = [
  { name: 'rider.north', password: PASSWORD, roles: ['rider'], sections: ['north-1', 'north-2'] },
  { name: 'rider.south', password: PASSWORD, roles: ['rider'], sections: ['south-1'] },
  { name: 'dispatcher.one', password: PASSWORD, roles: ['dispatcher'], sections: [] },
  { name: 'grower.217', password: PASSWORD, roles: ['grower'], sections: [] },
  { name: 'auditor', password: PASSWORD, roles: ['auditor'], sections: [] },
];

const BROWSER = ['authorization_code', 'refresh_token'] as const;
export const DEVICE_GRANT = 'urn:ietf:params:oauth:grant-type:device_code';
export const EXCHANGE_GRANT = 'urn:ietf:params:oauth:grant-type:token-exchange';

const PROGRAMS: readonly Program[] = [
  { id: 'canal-loggers', name: 'Canal logger fleet', secret: 'loggers-demo-secret', grants: ['client_credentials'], scopes: ['readings:write'] },
  { id: 'open-data', name: 'Open data job', secret: 'open-data-demo-secret', grants: ['client_credentials'], scopes: ['gates:read', 'readings:read'] },
  { id: 'rider-tablet', name: 'Rider tablet', secret: null, grants: BROWSER, scopes: ['openid', 'offline_access', 'gates:read', 'gates:operate'] },
  {
    id: 'grower-app',
    name: 'Grower app',
    secret: null,
    grants: BROWSER,
    scopes: ['openid', 'offline_access', 'gates:read', 'readings:read', 'allotments:read', 'allotments:trade'],
  },
  {
    id: 'dispatcher-desk',
    name: 'Dispatcher desk',
    secret: 'desk-demo-secret',
    grants: BROWSER,
    scopes: ['openid', 'offline_access', 'gates:read', 'gates:operate', 'readings:read'],
  },
  {
    id: 'gate-panel',
    name: 'Gate panel without keyboard',
    secret: null,
    grants: [DEVICE_GRANT, 'refresh_token'],
    scopes: ['openid', 'offline_access', 'gates:read'],
  },
  {
    id: 'old-kiosk',
    name: 'Old kiosk (implicit and password)',
    secret: null,
    grants: ['implicit', 'password'],
    scopes: ['openid', 'gates:read', 'readings:read'],
  },
  { id: 'water-portal', name: 'API portal', secret: 'portal-demo-secret', grants: BROWSER, scopes: ['openid'] },
  {
    id: 'workshop',
    name: 'Workshop (any scope, any resource)',
    secret: 'workshop-demo-secret',
    grants: ['client_credentials', EXCHANGE_GRANT, ...BROWSER],
    scopes: null,
  },
];

export const HEADGATES_RESOURCE = 'https://headgates.velmora.example';
export const READINGS_RESOURCE = 'https://readings.velmora.example';
export const ALLOTMENTS_RESOURCE = 'https://allotments.velmora.example';

/** Staff and growers of the Velmora Basin Water Trust: JWT access tokens of RFC 9068, scope as one text. */
export const TRUST_SIGN_IN: House = {
  name: 'Trust Sign-in',
  people: PEOPLE,
  programs: PROGRAMS,
  resources: {
    [HEADGATES_RESOURCE]: ['gates:read', 'gates:operate'],
    [READINGS_RESOURCE]: ['readings:read', 'readings:write'],
    [ALLOTMENTS_RESOURCE]: ['allotments:read', 'allotments:trade'],
  },
  algorithm: 'RS256',
  keyPrefix: 'basin',
  accessTokens: 'jwt',
  acr: 'urn:basin:password',
  claimsOf: ({ roles, sections }) => ({ roles, ...(sections.length > 0 ? { sections } : {}) }),
  spell: (claims) => claims,
};

/** The partner agency: ES256, scopes as an array in `scp`, roles two levels down, the tenant in `org`. */
export const STATE_WATER_REGISTRY: House = {
  name: 'State Water Registry',
  people: [{ name: 'registry.clerk', password: PASSWORD, roles: ['clerk'], sections: [] }],
  programs: [
    {
      id: 'registry-sync',
      name: 'Registry sync',
      secret: 'registry-demo-secret',
      grants: ['client_credentials'],
      scopes: null,
      claims: { org: 'state-water', registry: { access: { roles: ['partner-agency'] } } },
    },
    { id: 'registry-desk', name: 'Registry desk', secret: null, grants: BROWSER, scopes: ['openid', 'offline_access', 'gates:read', 'readings:read'] },
  ],
  resources: TRUST_SIGN_IN.resources,
  algorithm: 'ES256',
  keyPrefix: 'registry',
  accessTokens: 'jwt',
  acr: 'registry:standard',
  claimsOf: ({ roles }) => ({ org: 'state-water', registry: { access: { roles } } }),
  spell: ({ scope, ...claims }) => ({ ...claims, scp: typeof scope === 'string' ? scope.split(' ') : [] }),
};

/** The contractor: opaque tokens, known only by asking; crews as one text with commas. */
export const DUNLIN_FIELDWORKS: House = {
  name: 'Dunlin Fieldworks',
  people: [],
  programs: [
    {
      id: 'inspection-kit',
      name: 'Dunlin inspection kit',
      secret: 'inspection-demo-secret',
      grants: ['client_credentials'],
      scopes: null,
      claims: { crew: 'inspection,north-bank', contractor: 'dunlin' },
    },
    { id: 'virga-gateway', name: 'The gateway, asking about tokens', secret: 'gateway-demo-secret', grants: [], scopes: [] },
  ],
  resources: TRUST_SIGN_IN.resources,
  algorithm: 'RS256',
  keyPrefix: 'dunlin',
  accessTokens: 'opaque',
  acr: 'dunlin:device',
  claimsOf: () => ({}),
  spell: (claims) => claims,
};
