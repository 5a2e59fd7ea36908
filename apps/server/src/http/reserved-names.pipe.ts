import { Injectable, type ArgumentMetadata, type PipeTransform } from '@nestjs/common';
import { pointerOf } from '@virga/core';
import { fieldProblem } from './problems.js';

/** Names that every object has: validation takes them for known, whatever stands under them. */
const RESERVED: ReadonlySet<string> = new Set(['__proto__', 'constructor', 'prototype']);

/** Refuses bodies of the control API with such a member, at any depth, before they are validated. */
@Injectable()
export class ReservedNamesPipe implements PipeTransform {
  transform(value: unknown, { type, metatype }: ArgumentMetadata): unknown {
    const at = type === 'body' && metatype !== Object ? reservedIn(value) : null;
    if (at !== null) throw fieldProblem(at, 'No member may be called so');
    return value;
  }
}

/** Where such a member stands; null when there is none. Bodies are not nested deeper than their reader lets them be. */
function reservedIn(value: unknown): string | null {
  if (typeof value !== 'object' || value === null) return null;
  for (const name of Object.keys(value)) {
    const inside = RESERVED.has(name) ? '' : reservedIn((value as Readonly<Record<string, unknown>>)[name]);
    if (inside !== null) return pointerOf(name) + inside;
  }
  return null;
}
