import { Type } from 'class-transformer';
import { IsArray, IsBoolean, IsIn, IsInt, IsOptional, IsString, MaxLength } from 'class-validator';
import { ReferenceGroupView, ReferenceOperationView } from '../control/reference.js';
import { NestedEach } from '../nested.js';
import { OpenProvider } from './accounts.js';

/** What somebody who may see it can ask for. */
export class OfferedPlan {
  @IsString() id: string;
  @IsString() name: string;
  @IsString() description: string;
  /** What it allows, a short sentence each. */
  @IsArray() @IsString({ each: true }) says: string[];
  @IsIn(['by-hand', 'by-itself']) approval: 'by-hand' | 'by-itself';
}

export class OfferedApi {
  @IsString() id: string;
  @IsString() name: string;
  @IsString() version: string;
  @IsString() description: string;
  @IsInt() operations: number;
  /** Whether any of it asks for a plan. */
  @IsBoolean() asksPlan: boolean;
  /** Whether somebody who is not signed in sees it too. */
  @IsBoolean() everybody: boolean;
  /** When a release last changed what it offers; null where none of those that are remembered did. */
  @IsOptional() @IsInt() changedAt: number | null;
}

export class OfferedApis {
  @IsArray() @NestedEach() @Type(() => OfferedApi) items: OfferedApi[];
}

export class OfferedApiView extends OfferedApi {
  /** Where it is called; empty where no gateway node says so. */
  @IsString() address: string;
  @IsArray() @NestedEach() @Type(() => ReferenceGroupView) groups: ReferenceGroupView[];
  @IsArray() @NestedEach() @Type(() => OfferedPlan) plans: OfferedPlan[];
}

/** One way to prove oneself; all of an alternative are needed together. */
export class NeededProof {
  @IsIn(['token', 'key', 'basic', 'certificate', 'other']) kind: 'token' | 'key' | 'basic' | 'certificate' | 'other';
  /** Where it travels: a header field, a cookie or the query. */
  @IsIn(['header', 'cookie', 'query', 'connection']) place: 'header' | 'cookie' | 'query' | 'connection';
  /** Of the header field, the cookie or the member of the query. */
  @IsString() name: string;
  /** Before the value in a header field; empty for none. */
  @IsString() scheme: string;
  @IsArray() @IsString({ each: true }) scopes: string[];
  @IsArray() @IsString({ each: true }) roles: string[];
  /** Providers that the portal gets such tokens from. */
  @IsArray() @NestedEach() @Type(() => OpenProvider) providers: OpenProvider[];
}

export class NeededProofs {
  @IsArray() @NestedEach() @Type(() => NeededProof) all: NeededProof[];
}

/** An answer that the gateway gives itself. */
export class GatewayRefusal {
  @IsInt() status: number;
  @IsString() says: string;
}

export class OfferedOperation extends ReferenceOperationView {
  @IsString() operationId: string;
  @IsString() method: string;
  @IsString() path: string;
  /** What to send, one of these; a first without any proof is for everybody. */
  @IsArray() @NestedEach() @Type(() => NeededProofs) needs: NeededProofs[];
  @IsBoolean() asksPlan: boolean;
  /** Ids of plans that open it. */
  @IsArray() @IsString({ each: true }) plans: string[];
  @IsArray() @NestedEach() @Type(() => GatewayRefusal) refusals: GatewayRefusal[];
}

export class OperationQuery {
  @IsString() @MaxLength(3000) of: string;
}

export class OfferedChange {
  @IsIn(['new', 'changed', 'deprecated', 'gone']) kind: 'new' | 'changed' | 'deprecated' | 'gone';
  @IsString() method: string;
  @IsString() path: string;
  @IsString() summary: string;
}

/** What one release changed of an API for those who call it. */
export class OfferedRelease {
  @IsInt() at: number;
  @IsString() version: string;
  @IsArray() @NestedEach() @Type(() => OfferedChange) changes: OfferedChange[];
}

export class OfferedReleases {
  /** Newest first. */
  @IsArray() @NestedEach() @Type(() => OfferedRelease) items: OfferedRelease[];
}
