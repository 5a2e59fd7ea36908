import { CODES, isCode, STEP_NAMES, type ReachCell } from '@virga/core';
import type { MarkKind } from '../../parts/mark';
import type { NamedCaller, TableAnswer } from '../../workers/suppose-messages';

/** Kinds of callers in words. */
export const KIND_NAMES: Readonly<Record<NamedCaller['kind'], string>> = {
  nobody: 'nobody',
  pasted: 'pasted',
  persona: 'personas',
  client: 'clients',
  role: 'roles',
  provider: 'any token',
};

export function markOf(cell: ReachCell | null): MarkKind {
  if (cell === null) return 'skipped';
  if (cell.kind === 'refused') return 'refused';
  if (cell.kind === 'conditional') return 'unknown';
  return cell.wouldRefuse ? 'would-refuse' : 'passed';
}

const lower = (words: string): string => words.charAt(0).toLowerCase() + words.slice(1);

/** What a cell says, in a few words. */
export function wordsOf(cell: ReachCell | null): string {
  if (cell === null) return 'no such operation';
  if (cell.kind === 'conditional') return `hangs on ${cell.hangsOn.join(', ')}`;
  if (cell.kind === 'allowed')
    return cell.code === 'credential.not-asked'
      ? 'allowed: anybody is'
      : cell.wouldRefuse
        ? 'allowed, though a check that only observes would refuse'
        : 'allowed';
  return `refused at ${STEP_NAMES[cell.step]}: ${isCode(cell.code) ? lower(CODES[cell.code].title) : cell.code}`;
}

/** A table as far as it is looked at: which operations and callers, by their places in it. */
export interface Shown {
  readonly operations: readonly number[];
  readonly callers: readonly number[];
}

/** As CSV: a line for each operation and caller. */
export function csvRows({ operations, before, after, callers }: TableAnswer, shown: Shown, compared: boolean): string[][] {
  const head = ['api', 'method', 'path', 'caller kind', 'caller', 'reach', 'step', 'code', 'hangs on', ...(compared ? ['before', 'hung on before'] : [])];
  const rows = shown.operations.flatMap((at) => {
    const operation = operations[at];
    return shown.callers.map((who) => {
      const cell = after[at]?.[who] ?? null;
      const was = before[at]?.[who] ?? null;
      const caller = callers[who];
      return [
        operation?.apiName ?? '',
        operation?.method ?? '',
        operation?.path ?? '',
        caller?.kind ?? '',
        caller?.name ?? '',
        cell?.kind ?? 'absent',
        cell?.step ?? '',
        cell?.code ?? '',
        cell?.hangsOn.join('; ') ?? '',
        ...(compared ? [was?.kind ?? 'absent', was?.hangsOn.join('; ') ?? ''] : []),
      ];
    });
  });
  return [head, ...rows];
}
