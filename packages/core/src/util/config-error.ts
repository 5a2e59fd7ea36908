/** A mistake in a configuration, found while it is compiled. Carries a JSON Pointer (RFC 6901) into the document. */
export class ConfigError extends Error {
  readonly pointer: string;

  constructor(pointer: string, message: string) {
    super(message);
    this.name = 'ConfigError';
    this.pointer = pointer;
  }
}

/** Marks a branch that the types say cannot be reached. */
export function unreachable(value: never): never {
  throw new Error(`invariant: unexpected ${JSON.stringify(value)}`);
}
