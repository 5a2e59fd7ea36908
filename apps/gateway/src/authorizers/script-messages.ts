import type { ScriptCall, ScriptRun, ScriptSource, TableRows } from '@virga/core';

/** A call for a thread that runs scripts. Tables that it has, and that have not changed, are not sent again. */
export interface ScriptAsk {
  readonly number: number;
  readonly identity: string;
  readonly script: ScriptSource;
  readonly input: string;
  readonly hidden: ScriptCall['hidden'];
  readonly tables: readonly { readonly name: string; readonly rows: TableRows }[];
}

/** What came of it: `late` where only ending the thread would have stopped it, as it says of itself when it is back. */
export interface ScriptAnswer {
  readonly number: number;
  readonly run: ScriptRun;
}

/** A thread begins to run a script: from now on its time counts. */
export interface ScriptBegun {
  readonly begun: number;
}
