import type { QueryInterface } from 'sequelize';
import * as first from './001-first.js';
import * as records from './002-records.js';
import * as tokens from './003-tokens.js';
import * as clients from './004-clients.js';
import * as outcomes from './005-outcomes.js';
import * as changes from './006-changes.js';
import * as tables from './008-tables.js';
import * as checks from './009-checks.js';
import * as savedTrials from './010-saved-trials.js';
import * as violations from './011-violations.js';
import * as sightings from './012-sightings.js';
import * as clientsWhole from './013-clients-whole.js';
import * as subscriptions from './014-subscriptions.js';
import * as clientTraffic from './015-client-traffic.js';
import * as portal from './016-portal.js';
import * as tracesOfClients from './017-traces-of-clients.js';
import * as editsOfClients from './007-edits-of-clients.js';

export interface Migration {
  readonly name: string;
  readonly up: (db: QueryInterface) => Promise<void>;
}

/** All migrations, in the order they are carried out. A migration that has been released is never changed. */
export const MIGRATIONS: readonly Migration[] = [
  { name: '001-first', up: first.up },
  { name: '002-records', up: records.up },
  { name: '003-tokens', up: tokens.up },
  { name: '004-clients', up: clients.up },
  { name: '005-outcomes', up: outcomes.up },
  { name: '006-changes', up: changes.up },
  { name: '007-edits-of-clients', up: editsOfClients.up },
  { name: '008-tables', up: tables.up },
  { name: '009-checks', up: checks.up },
  { name: '010-saved-trials', up: savedTrials.up },
  { name: '011-violations', up: violations.up },
  { name: '012-sightings', up: sightings.up },
  { name: '013-clients-whole', up: clientsWhole.up },
  { name: '014-subscriptions', up: subscriptions.up },
  { name: '015-client-traffic', up: clientTraffic.up },
  { name: '016-portal', up: portal.up },
  { name: '017-traces-of-clients', up: tracesOfClients.up },
];
