/**
 * What a connection remembers of the last token or key that came over it: its text and its digest. Callers send the same one
 * again and again over one connection; comparing two texts costs a hundredth of a digest. Nothing is proved by it: what a
 * digest leads to is asked anew each time. It goes with its connection.
 */
export class DigestMemory {
  #text = '';
  #digest = '';

  /** The text that was digested last where it is this one, so that its characters were looked at before: the very same, which is compared at once the next time. */
  known(text: string): string | null {
    return text !== '' && text === this.#text ? this.#text : null;
  }

  /** The digest of a text. */
  of(text: string, digest: (text: string) => string): string {
    if (this.known(text) === null) {
      this.#digest = digest(text);
      this.#text = text;
    }
    return this.#digest;
  }
}

/** What a connection remembers of credentials. Tokens and keys apart: what is known as a key was never looked at as a token. */
export class CredentialMemory {
  readonly tokens = new DigestMemory();
  readonly keys = new DigestMemory();
}
