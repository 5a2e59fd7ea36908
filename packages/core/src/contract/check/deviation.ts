/** Something in a message that its contract does not allow. Says what was found by kind and size, never the value. */
export interface Deviation {
  /** Which parameter, header field or status; empty for a body. */
  readonly name: string;
  /** JSON Pointer into the value. */
  readonly at: string;
  /** JSON Pointer into the contract: the rule that does not hold. */
  readonly rule: string;
  readonly keyword: string;
  readonly wanted: string;
  readonly found: string;
  /** The member of an object that is missing or too much; null or left out where it is none. */
  readonly member?: string | null;
}

/** Something in a contract that cannot be read: what it asks for nobody knows, so nothing meets it. */
export const unusable = (rule: string, what: string, name = ''): Deviation => ({
  name,
  at: '',
  rule,
  keyword: 'unreadable',
  wanted: `${what} that can be read`,
  found: 'one that cannot be used',
});

/** Whether something in a contract has to be there: said in any other way than with true or false, it has to. */
export const isDemanded = (required: unknown): boolean => required !== undefined && required !== false;
