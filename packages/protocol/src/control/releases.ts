import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsIn, IsInt, IsNumber, IsOptional, IsString, MaxLength } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { CaseResults } from './authorizers.js';
import { TrialsKept } from './trials.js';
import { FieldProblem } from './problem.js';
import { Nested, NestedEach } from '../nested.js';

export class ReleaseChangeView {
  @IsIn(['added', 'removed', 'changed']) kind: 'added' | 'removed' | 'changed';
  @IsIn(['provider', 'gateway', 'authorizer', 'plan', 'api', 'operation']) what: 'provider' | 'gateway' | 'authorizer' | 'plan' | 'api' | 'operation';
  @IsString() id: string;
  @IsOptional() @IsString() operationId: string | null;
  @IsString() subject: string;
  @IsString() detail: string;
}

export class NodeView {
  @IsString() name: string;
  @IsIn(['connected', 'catching-up', 'away']) state: 'connected' | 'catching-up' | 'away';
  @IsOptional() @IsInt() release: number | null;
  @IsOptional() @IsInt() effectiveAt: number | null;
  @IsInt() seenAt: number;
  @IsInt() startedAt: number;
  @IsString() gatewayUrl: string;
  @IsInt() knownTokens: number;
  @IsInt() knownClients: number;
  @IsOptional() @IsString() problem: string | null;
}

export class ReleaseSummary {
  @IsInt() number: number;
  @IsString() hash: string;
  @IsInt() publishedAt: number;
  @IsString() publishedBy: string;
  @IsString() note: string;
  /** The release whose document was published again; null for a release made from the draft. */
  @IsOptional() @IsInt() rolledBackTo: number | null;
  @IsInt() apiCount: number;
  @IsInt() operationCount: number;
  @IsInt() providerCount: number;
}

/** What is live, what is not, and where: the strip at the top of every screen. */
export class StandingView {
  @IsString() environment: string;
  @IsString() gatewayUrl: string;
  @IsOptional() @Nested() @Type(() => ReleaseSummary) live: ReleaseSummary | null;
  @IsArray() @NestedEach() @Type(() => ReleaseChangeView) changes: ReleaseChangeView[];
  @IsInt() changeCount: number;
  /** Why the draft could not be published as it stands. */
  @IsArray() @NestedEach() @Type(() => FieldProblem) problems: FieldProblem[];
  /** Why nothing can be written now, in words; null when it can. */
  @IsOptional() @IsString() storage: string | null;
  /** Work in the background that fails, in words. */
  @IsArray() @IsString({ each: true }) failing: string[];
  @IsArray() @NestedEach() @Type(() => NodeView) nodes: NodeView[];
  @IsInt() apiCount: number;
  @IsInt() providerCount: number;
  @IsInt() personaCount: number;
  @IsInt() clientCount: number;
}

export class PublishInput {
  /** Failing cases, each as `AUTHORIZER: CASE`, and failing trials by their names that do not stop the release. */
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(2500) @IsString({ each: true }) overrule?: string[];
  @MayBeLeftOut() @IsString() @MaxLength(500) note?: string;
}

export class PublishView {
  @Nested() @Type(() => ReleaseSummary) release: ReleaseSummary;
  /** Milliseconds until every connected node had taken the release; null when none took it in time. */
  @IsOptional() @IsNumber() effectiveMs: number | null;
  @IsInt() nodesTold: number;
  @IsInt() nodesLive: number;
}

export class ReleaseView extends ReleaseSummary {
  /** Cases of authorizers as they were run before it; null where none were. */
  @IsOptional() @Nested() @Type(() => CaseResults) cases: CaseResults | null;
  /** Trials as they were run before it; null where none were. */
  @IsOptional() @Nested() @Type(() => TrialsKept) trials: TrialsKept | null;
  /** Against the release before it. */
  @IsArray() @NestedEach() @Type(() => ReleaseChangeView) changes: ReleaseChangeView[];
}
