/** The made-up people and programs of the Velmora Basin Water Trust. */
export interface Person {
  readonly name: string;
  readonly password: string;
  readonly roles: readonly string[];
  readonly sections: readonly string[];
}

const PASSWORD = 'shared-water';

export const PEOPLE: readonly Person[] = [
  { name: 'rider.north', password: PASSWORD, roles: ['rider'], sections: ['north-1', 'north-2'] },
  { name: 'rider.south', password: PASSWORD, roles: ['rider'], sections: ['south-1'] },
  { name: 'dispatcher.one', password: PASSWORD, roles: ['dispatcher'], sections: [] },
  { name: 'grower.217', password: PASSWORD, roles: ['grower'], sections: [] },
  { name: 'auditor', password: PASSWORD, roles: ['auditor'], sections: [] },
];

/** A program that asks for tokens. Without `scopes` it may ask for any. */
export interface Program {
  readonly id: string;
  readonly name: string;
  readonly secret: string | null;
  readonly grants: readonly string[];
  readonly scopes: readonly string[] | null;
}

const BROWSER = ['authorization_code', 'refresh_token'] as const;

export const PROGRAMS: readonly Program[] = [
  { id: 'canal-loggers', name: 'Canal logger fleet', secret: 'loggers-demo-secret', grants: ['client_credentials'], scopes: ['readings:write'] },
  { id: 'open-data', name: 'Open data job', secret: 'open-data-demo-secret', grants: ['client_credentials'], scopes: ['gates:read', 'readings:read'] },
  { id: 'rider-tablet', name: 'Rider tablet', secret: null, grants: BROWSER, scopes: ['openid', 'offline_access', 'gates:read', 'gates:operate'] },
  { id: 'grower-app', name: 'Grower app', secret: null, grants: BROWSER, scopes: ['openid', 'offline_access', 'gates:read', 'readings:read'] },
  {
    id: 'dispatcher-desk',
    name: 'Dispatcher desk',
    secret: 'desk-demo-secret',
    grants: BROWSER,
    scopes: ['openid', 'offline_access', 'gates:read', 'gates:operate', 'readings:read'],
  },
  { id: 'workshop', name: 'Workshop (any scope, any resource)', secret: 'workshop-demo-secret', grants: ['client_credentials', ...BROWSER], scopes: null },
];

export const HEADGATES_RESOURCE = 'https://headgates.velmora.example';
export const READINGS_RESOURCE = 'https://readings.velmora.example';

/** Scopes of each API of the trust. */
export const RESOURCES: Readonly<Record<string, readonly string[]>> = {
  [HEADGATES_RESOURCE]: ['gates:read', 'gates:operate'],
  [READINGS_RESOURCE]: ['readings:read', 'readings:write'],
};

/** The API whose scopes were asked for, when the request names none. */
export function resourceFor(scopes: readonly string[]): string | undefined {
  return Object.keys(RESOURCES).find((resource) => RESOURCES[resource]?.some((scope) => scopes.includes(scope)));
}
