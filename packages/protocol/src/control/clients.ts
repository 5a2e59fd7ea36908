import { CREDENTIAL_KINDS, LEAK_BOUNDS, type CredentialKind, type JsonObject } from '@virga/core';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsNotEmpty,
  IsNumber,
  IsObject,
  IsOptional,
  IsString,
  Matches,
  Max,
  MaxLength,
  Min,
} from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { IsMoment } from '../moment.js';
import { Nested, NestedEach } from '../nested.js';

/** Spans that the use of a client is shown for. */
export const USE_DAYS = [1, 7, 30] as const;
export type UseDays = (typeof USE_DAYS)[number];

const ONE_LINE = /^[^\p{Cc}]*$/u;
const ONE_LINE_SAID = { message: 'One line without control characters' };

class ClientFacts {
  /** The team or company that answers for it. */
  @MayBeLeftOut() @IsString() @MaxLength(200) @Matches(ONE_LINE, ONE_LINE_SAID) owner?: string;
  @MayBeLeftOut() @IsString() @MaxLength(200) @Matches(ONE_LINE, ONE_LINE_SAID) contact?: string;
  @MayBeLeftOut() @IsString() @MaxLength(1000) description?: string;
  /** Nothing of a client that is off is accepted; acts at once. */
  @MayBeLeftOut() @IsBoolean() enabled?: boolean;
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(50) @IsString({ each: true }) @IsNotEmpty({ each: true }) @MaxLength(100, { each: true }) roles?: string[];
  /** What is said of it, for rules and header fields: one JSON object of at most 4 KB. */
  @MayBeLeftOut() @IsObject({ message: 'Metadata is one JSON object, with no member twice' }) metadata?: JsonObject;
}

/** A consumer's program. Members left out stay as they are. */
export class ClientPatch extends ClientFacts {
  @MayBeLeftOut() @IsString() @IsNotEmpty({ message: 'A client needs a name' }) @MaxLength(100) @Matches(ONE_LINE, ONE_LINE_SAID) name?: string;
}

export class ClientInput extends ClientFacts {
  @IsString() @IsNotEmpty({ message: 'A client needs a name' }) @MaxLength(100) @Matches(ONE_LINE, ONE_LINE_SAID) name: string;
}

/** A credential to be made for a client. Keys and secrets are made here by chance. */
export class CredentialInput {
  @IsIn([...CREDENTIAL_KINDS]) kind: CredentialKind;
  /** What people call it; for Basic the name that is sent, which has no colon (RFC 7617 section 2). */
  @IsString() @IsNotEmpty({ message: 'Give it a name' }) @MaxLength(100) @Matches(ONE_LINE, ONE_LINE_SAID) name: string;
  /** Milliseconds since the epoch; null or left out: never. A certificate ends with its own validity at the latest. */
  @IsOptional() @IsMoment() expiresAt?: number | null;
  /** For a key that is brought along: the key. Left out, one is made here. Only its hash is kept. */
  @MayBeLeftOut() @IsString() @MaxLength(1000) key?: string;
  /** For a certificate: PEM. */
  @MayBeLeftOut() @IsString() @MaxLength(20_000) certificate?: string;
  /** For a client of a provider: which provider, and what it calls the client (`client_id`). */
  @MayBeLeftOut() @IsString() @MaxLength(100) providerId?: string;
  @MayBeLeftOut() @IsString() @IsNotEmpty() @MaxLength(300) providerClient?: string;
}

export class CredentialView {
  @IsString() id: string;
  @IsIn([...CREDENTIAL_KINDS]) kind: CredentialKind;
  @IsString() name: string;
  /** What it can be recognised by: how a key begins, a certificate's thumbprint, the provider and its client. */
  @IsString() hint: string;
  @IsIn(['good', 'expired', 'revoked']) state: 'good' | 'expired' | 'revoked';
  @IsOptional() @IsInt() expiresAt: number | null;
  @IsOptional() @IsInt() revokedAt: number | null;
  @IsInt() madeAt: number;
  @IsString() madeBy: string;
  /** When and from where it was last used; null while it never was. Nodes tell within seconds. */
  @IsOptional() @IsInt() lastUsedAt: number | null;
  @IsOptional() @IsString() lastUsedFrom: string | null;
  /** Id of the credential that takes its place; null for none. */
  @IsOptional() @IsString() replacedBy: string | null;
  /** When it was found where others can read it, and who told; null while nobody did. */
  @IsOptional() @IsInt() leakedAt: number | null;
  @IsOptional() @IsString() leakedBy: string | null;
}

/** How long a key or a Basic secret and the one that takes its place are both accepted. */
export class RotationInput {
  @IsInt() @Min(0) @Max(90 * 24) overlapHours: number;
}

export class ClientSummary {
  @IsString() id: string;
  @IsString() name: string;
  @IsString() owner: string;
  @IsBoolean() enabled: boolean;
  @IsArray() @IsString({ each: true }) roles: string[];
  /** Credentials that are good now, by kind. */
  @IsInt() keys: number;
  @IsInt() secrets: number;
  @IsInt() certificates: number;
  @IsInt() providerClients: number;
  /** When any of its credentials was last used; null while none was. */
  @IsOptional() @IsInt() lastUsedAt: number | null;
  @IsInt() madeAt: number;
}

export class ClientView extends ClientSummary {
  /** The team of the portal that sees and keeps it; null for none. */
  @IsOptional() @IsString() teamId: string | null;
  @IsOptional() @IsString() teamName: string | null;
  @IsString() contact: string;
  @IsString() description: string;
  @IsObject() metadata: JsonObject;
  @IsArray() @NestedEach() @Type(() => CredentialView) credentials: CredentialView[];
}

export class ClientQuery {
  /** Part of name, owner, id or metadata, of the name of a credential, or how a key begins. */
  @MayBeLeftOut() @IsString() @MaxLength(200) text?: string;
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(0) offset?: number;
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(1) @Max(500) limit?: number;
}

export class ClientPage {
  @IsArray() @NestedEach() @Type(() => ClientSummary) items: ClientSummary[];
  @IsInt() total: number;
}

export class ClientUseQuery {
  /** Days up to now; 1 when left out. */
  @MayBeLeftOut() @Type(() => Number) @IsIn([...USE_DAYS]) days?: UseDays;
}

/** Requests of one slice of time that proved themselves as the client. */
export class ClientUseSlice {
  /** When it begins, milliseconds since the epoch. */
  @IsInt() at: number;
  @IsInt() passed: number;
  /** Of those that passed, what only observing checks would have refused. */
  @IsInt() wouldRefuse: number;
  @IsInt() refused: number;
}

export class ClientUseOfApi {
  /** Null for requests that no API was found for. */
  @IsOptional() @IsString() apiId: string | null;
  @IsString() apiName: string;
  @IsInt() passed: number;
  @IsInt() refused: number;
}

/** Why requests of a client were refused, or would have been. */
export class ClientUseReason {
  @IsString() code: string;
  @IsString() title: string;
  @IsString() step: string;
  @IsString() stepName: string;
  @IsIn(['refused', 'would-refuse']) outcome: 'refused' | 'would-refuse';
  @IsInt() count: number;
}

/** Exact counts of the requests that proved themselves as one client. What was sent with a wrong or withdrawn proof is nobody's. */
export class ClientUseView {
  @IsInt() from: number;
  @IsInt() to: number;
  @IsInt() sliceMs: number;
  @IsInt() passed: number;
  @IsInt() refused: number;
  @IsArray() @NestedEach() @Type(() => ClientUseSlice) slices: ClientUseSlice[];
  /** Those with most requests first. */
  @IsArray() @NestedEach() @Type(() => ClientUseOfApi) apis: ClientUseOfApi[];
  @IsArray() @NestedEach() @Type(() => ClientUseReason) reasons: ClientUseReason[];
  /** Requests of any client that were counted without it, because too many kinds came while the control plane was away. */
  @IsInt() untold: number;
}

/** Since when a change of the directory is in force. */
export class DirectoryEffect {
  /** Milliseconds until every connected node had it; null when not all of them have it yet. */
  @IsOptional() @IsNumber() effectiveMs: number | null;
  @IsInt() nodesTold: number;
  @IsInt() nodesLive: number;
}

export class ClientChanged {
  @Nested() @Type(() => ClientView) client: ClientView;
  @Nested() @Type(() => DirectoryEffect) effect: DirectoryEffect;
}

export class CredentialMade extends ClientChanged {
  @Nested() @Type(() => CredentialView) credential: CredentialView;
  /** The key or the secret, this once; null for kinds that have none. */
  @IsOptional() @IsString() secret: string | null;
}

/** Most lines and characters of a list of clients that is brought in at one time. */
export const CLIENT_LIST_BOUNDS = { lines: 20_000, characters: 10_000_000 } as const;

/** Clients as CSV (RFC 4180), the first line naming columns. */
export class ClientListInput {
  @IsString() @IsNotEmpty({ message: 'There is nothing in it' }) @MaxLength(CLIENT_LIST_BOUNDS.characters) text: string;
  /** Only say what would be done. */
  @IsBoolean() tryOnly: boolean;
}

/** What becomes of one line. */
export class ClientListLine {
  /** As an editor counts lines, from 1. */
  @IsInt() line: number;
  @IsString() name: string;
  @IsIn(['added', 'changed', 'same', 'wrong']) becomes: 'added' | 'changed' | 'same' | 'wrong';
  /** What is wrong, each beginning with its column; empty where nothing is. */
  @IsArray() @IsString({ each: true }) problems: string[];
  /** Id of the client; null for one that is wrong. */
  @IsOptional() @IsString() clientId: string | null;
  /** A key that was made for it, this once; null for none. */
  @IsOptional() @IsString() key: string | null;
}

export class ClientListReport {
  /** Whether it was done; with anything wrong nothing is. */
  @IsBoolean() done: boolean;
  @IsInt() added: number;
  @IsInt() changed: number;
  @IsInt() same: number;
  @IsInt() wrong: number;
  @IsArray() @NestedEach() @Type(() => ClientListLine) lines: ClientListLine[];
}

/** A text to be looked through for credentials. Nothing of it is kept. */
export class LeakInput {
  @IsString()
  @IsNotEmpty({ message: 'Paste something' })
  @MaxLength(LEAK_BOUNDS.characters, { message: 'At most 4 million characters at one time' })
  text: string;
}

export class LeakedCredential {
  @IsString() credentialId: string;
  @IsIn([...CREDENTIAL_KINDS]) kind: CredentialKind;
  @IsString() name: string;
  @IsString() hint: string;
  @IsString() clientId: string;
  @IsString() clientName: string;
  @IsString() owner: string;
  @IsIn(['good', 'expired', 'revoked']) state: 'good' | 'expired' | 'revoked';
  @IsOptional() @IsInt() lastUsedAt: number | null;
  @IsOptional() @IsString() lastUsedFrom: string | null;
}

/** What a text has in it. */
export class LeakReport {
  @IsArray() @NestedEach() @Type(() => LeakedCredential) found: LeakedCredential[];
  /** Keys that are right by form and checksum and belong to no client here: of another gateway, or taken away. */
  @IsInt() unknown: number;
  /** Things that begin like a key and are none. */
  @IsInt() lookAlikes: number;
  /** Credentials that were revoked because of it. */
  @IsInt() revoked: number;
  /** Whether there was more than is looked through. */
  @IsBoolean() cut: boolean;
}

/** What becomes of keys that a scanner finds, and whether there is one. */
export class LeakRule {
  /** `at-once` revokes what is found without asking; `by-hand` tells of it under what needs attention. */
  @IsIn(['by-hand', 'at-once']) revoke: 'by-hand' | 'at-once';
}

export class LeakRuleView extends LeakRule {
  /** When the scanner's credential was made; null while there is none. */
  @IsOptional() @IsInt() scannerMadeAt: number | null;
  /** When a scanner last told of something; null while none did. */
  @IsOptional() @IsInt() lastToldAt: number | null;
}

export class ScannerMade extends LeakRuleView {
  /** The scanner's credential, this once. */
  @IsString() secret: string;
}
