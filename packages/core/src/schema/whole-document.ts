import { valueAt } from '../util/json-pointer.js';
import type { SchemaDocument } from './schema-set.js';

/** A document that is in memory as a whole. */
export const wholeDocument = (document: unknown): SchemaDocument => ({ at: (pointer) => (pointer === '' ? document : valueAt(document, pointer)) });
