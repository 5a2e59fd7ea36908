import type { KnownFacts, PublishedKey, SupposedCaller } from '@virga/core';
import { IsIn, IsNotEmpty, IsOptional, IsString, MaxLength } from 'class-validator';

/** What is known beside releases, for whoever decides what nobody has sent: all of it as it is now. Holds no secret. */
export interface ReachFacts extends KnownFacts {
  /** Personas with what their tokens say, where they have one. */
  readonly personas: readonly SupposedCaller[];
}

/** Keys that providers publish, by the provider's id. */
export interface ReachKeys {
  readonly keys: Readonly<Record<string, readonly PublishedKey[]>>;
}

/** A text that might be a credential. */
export class PastedInput {
  @IsString() @IsNotEmpty({ message: 'Paste a token or a key' }) @MaxLength(32_768) text: string;
}

/** What a pasted text is; nothing of the text itself. */
export class PastedView {
  @IsIn(['key', 'token', 'nothing']) is: 'key' | 'token' | 'nothing';
  /** The credential of a client that it is; null where nobody here has it. */
  @IsOptional() @IsString() credentialId: string | null;
  /** In words. */
  @IsString() says: string;
}
