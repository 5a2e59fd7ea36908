import type { KeyboardEvent } from 'react';

/** Arrow keys move between the rows of a list; each row has one link or button that stands for it, marked with its place. */
export function listKeys(event: KeyboardEvent<HTMLElement>): void {
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  const row = (event.target as HTMLElement).closest<HTMLElement>('[data-row]');
  if (!row || event.target !== row || step === undefined) return;
  event.preventDefault();
  const rows = [...event.currentTarget.querySelectorAll<HTMLElement>('[data-row]')].sort((a, b) => Number(a.dataset['row']) - Number(b.dataset['row']));
  rows[rows.indexOf(row) + step]?.focus();
}
