import { CREDENTIAL_KINDS, type CredentialKind } from '@virga/core';
import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsBoolean, IsIn, IsInt, IsNotEmpty, IsNumber, IsOptional, IsString, Matches, Max, MaxLength, Min } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { Nested, NestedEach } from '../nested.js';

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
  @IsOptional() @IsInt() @Min(0) @Max(8.64e15) expiresAt?: number | null;
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
  @IsInt() madeAt: number;
}

export class ClientView extends ClientSummary {
  @IsString() contact: string;
  @IsString() description: string;
  @IsArray() @NestedEach() @Type(() => CredentialView) credentials: CredentialView[];
}

export class ClientQuery {
  /** Part of name, owner or id, of the name of a credential, or how a key begins. */
  @MayBeLeftOut() @IsString() @MaxLength(200) text?: string;
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(0) offset?: number;
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(1) @Max(500) limit?: number;
}

export class ClientPage {
  @IsArray() @NestedEach() @Type(() => ClientSummary) items: ClientSummary[];
  @IsInt() total: number;
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
