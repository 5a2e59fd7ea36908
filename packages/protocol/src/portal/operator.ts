import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsBoolean, IsIn, IsInt, IsNotEmpty, IsOptional, IsString, Matches, Max, MaxLength, Min } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { IsMoment } from '../moment.js';
import { NestedEach } from '../nested.js';
import { ACCOUNT_STATES, NoticeView, OpenInvitation, REGISTRATIONS, TeamMember, type AccountState, type Registration } from './accounts.js';
import { OneLine } from './names.js';
import { SCOPE_PATTERN } from '../control/access.js';
import { SubscriptionView } from '../control/plans.js';

/** Who sees an API in the portal. Who may call it, its rules say. */
export const SEEN_BY = ['nobody', 'everybody', 'signed-in', 'teams'] as const;
export type SeenBy = (typeof SEEN_BY)[number];

/** A provider at whose page one may sign in to the portal, and get tokens there. */
export class PortalProviderDto {
  @IsString() @IsNotEmpty({ message: 'Choose a provider' }) @MaxLength(100) providerId: string;
  /** What stands on the button. */
  @OneLine(60, 'Say what stands on the button') label: string;
  /** What the provider calls the portal (`client_id`). */
  @OneLine(300, 'Give the client id of the portal') clientId: string;
  /** Left out, the one that was set stays; empty, there is none. */
  @MayBeLeftOut() @IsString() @MaxLength(1000) secret?: string;
  @IsArray() @ArrayMaxSize(20) @Matches(SCOPE_PATTERN, { each: true, message: 'A scope is one word' }) scopes: string[];
  /** Whether one signs in to the portal by it. */
  @IsBoolean() signIn: boolean;
  /** Whether consumers may register clients there (RFC 7591) and change their redirect addresses (RFC 7592). */
  @IsBoolean() registration: boolean;
}

export class PortalProviderView extends PortalProviderDto {
  @IsString() name: string;
  @IsBoolean() secretSet: boolean;
  /** Whether the live release trusts it: until then nobody can use it here. */
  @IsBoolean() live: boolean;
}

/** Members left out stay as they are. */
export class PortalSettingsPatch {
  @MayBeLeftOut() @OneLine(60, 'The portal needs a name') name?: string;
  /** A PNG, JPEG or WebP picture as a data address, at most 64 KB; empty for none. */
  @MayBeLeftOut()
  @Matches(/^(data:image\/(png|jpeg|webp);base64,[A-Za-z0-9+/]+={0,2})?$/, { message: 'A PNG, JPEG or WebP picture' })
  @MaxLength(90_000, { message: 'A picture of at most 64 KB' })
  mark?: string;
  @MayBeLeftOut() @Matches(/^#[0-9a-f]{6}$/i, { message: 'A colour such as #2c6c8c' }) colour?: string;
  @MayBeLeftOut() @IsString() @MaxLength(20_000) welcome?: string;
  @MayBeLeftOut() @IsString() @MaxLength(200) contact?: string;
  @MayBeLeftOut() @IsIn([...REGISTRATIONS]) registration?: Registration;
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(20) @NestedEach() @Type(() => PortalProviderDto) providers?: PortalProviderDto[];
}

export class PortalSettingsView {
  @IsString() url: string;
  /** Where providers send browsers back to; to be registered there. */
  @IsArray() @IsString({ each: true }) redirectUris: string[];
  @IsString() name: string;
  @IsString() mark: string;
  @IsString() colour: string;
  @IsString() welcome: string;
  @IsString() contact: string;
  @IsIn([...REGISTRATIONS]) registration: Registration;
  @IsArray() @NestedEach() @Type(() => PortalProviderView) providers: PortalProviderView[];
}

export class ShownApiInput {
  @IsIn([...SEEN_BY]) seen: SeenBy;
  /** For `teams`: their ids. */
  @IsArray() @ArrayMaxSize(500) @IsString({ each: true }) teams: string[];
}

/** How an API stands in the portal. */
export class ShownApi extends ShownApiInput {
  @IsString() apiId: string;
  @IsString() name: string;
  /** What is not live is shown to nobody. */
  @IsBoolean() live: boolean;
  @IsInt() operations: number;
  /** Operations that its pages leave out. They can be called all the same. */
  @IsInt() hidden: number;
}

export class ShownApis {
  @IsArray() @NestedEach() @Type(() => ShownApi) items: ShownApi[];
}

/** An account of the portal as the operator sees it. */
export class PortalAccount {
  @IsString() id: string;
  @IsString() name: string;
  @IsString() shownName: string;
  @IsIn([...ACCOUNT_STATES]) state: AccountState;
  /** How it came to be: by invitation, by itself, or by a provider. */
  @IsIn(['invited', 'registered', 'provider']) how: 'invited' | 'registered' | 'provider';
  /** Name of the provider; empty for an account with a password. */
  @IsString() provider: string;
  @IsString() reason: string;
  @IsArray() @IsString({ each: true }) teams: string[];
  @IsInt() madeAt: number;
  @IsOptional() @IsInt() lastSignInAt: number | null;
  @IsOptional() @IsInt() decidedAt: number | null;
  @IsOptional() @IsString() decidedBy: string | null;
}

/** What waits for the operator. */
export class PortalRequests {
  @IsArray() @NestedEach() @Type(() => PortalAccount) accounts: PortalAccount[];
  @IsArray() @NestedEach() @Type(() => SubscriptionView) subscriptions: SubscriptionView[];
}

export class PortalAccounts {
  @IsArray() @NestedEach() @Type(() => PortalAccount) items: PortalAccount[];
  @IsInt() total: number;
}

export class AccountStatePatch {
  @IsIn(['active', 'off']) state: 'active' | 'off';
}

export class PortalTeamSummary {
  @IsString() id: string;
  @IsString() name: string;
  @IsInt() members: number;
  @IsInt() clients: number;
  @IsInt() madeAt: number;
}

export class PortalTeams {
  @IsArray() @NestedEach() @Type(() => PortalTeamSummary) items: PortalTeamSummary[];
  @IsInt() total: number;
}

export class PortalQuery {
  @MayBeLeftOut() @IsString() @MaxLength(200) text?: string;
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(0) offset?: number;
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(1) @Max(500) limit?: number;
}

export class TeamClient {
  @IsString() id: string;
  @IsString() name: string;
}

export class PortalTeam extends PortalTeamSummary {
  @IsArray() @NestedEach() @Type(() => TeamMember) people: TeamMember[];
  @IsArray() @NestedEach() @Type(() => OpenInvitation) invitations: OpenInvitation[];
  @IsArray() @NestedEach() @Type(() => TeamClient) programs: TeamClient[];
}

/** Which team a client belongs to; null for none: then it is the operator's alone. */
export class ClientTeamInput {
  @IsOptional() @IsString() @MaxLength(100) teamId: string | null;
}

/** As whom the operator looks: a team, or null for somebody who is not signed in. */
export class LookAs {
  @IsOptional() @IsString() @MaxLength(100) teamId: string | null;
}

export class LookLink {
  /** Good once, for a minute. */
  @IsString() url: string;
}

export class PageInput {
  @OneLine(100, 'A page needs a title') title: string;
  @IsString() @MaxLength(100_000) text: string;
  @IsIn(['everybody', 'signed-in']) seen: 'everybody' | 'signed-in';
  @IsInt() @Min(0) @Max(1000) position: number;
}

export class PageView extends PageInput {
  @IsString() slug: string;
  @IsInt() changedAt: number;
  @IsString() changedBy: string;
}

export class PageList {
  @IsArray() @NestedEach() @Type(() => PageView) items: PageView[];
}

export class NoticeInput {
  @IsString() @IsNotEmpty({ message: 'Say something' }) @MaxLength(2000) text: string;
  @IsIn(['news', 'warning']) tone: 'news' | 'warning';
  @IsOptional() @IsMoment() fromAt?: number | null;
  @IsOptional() @IsMoment() untilAt?: number | null;
}

export class NoticeList {
  @IsArray() @NestedEach() @Type(() => NoticeView) items: NoticeView[];
}

/** One line of what was done in the portal and about it. */
export class PortalLogLine {
  @IsInt() number: number;
  @IsInt() at: number;
  @IsString() by: string;
  @IsIn(['operator', 'consumer']) side: 'operator' | 'consumer';
  @IsOptional() @IsString() teamName: string | null;
  @IsString() words: string;
}

export class PortalLog {
  @IsArray() @NestedEach() @Type(() => PortalLogLine) items: PortalLogLine[];
  @IsBoolean() more: boolean;
}

export class PortalLogQuery {
  /** Lines before this number. */
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(1) before?: number;
  /** Only what was decided: approved, declined, switched. */
  @MayBeLeftOut() @IsIn(['decisions']) only?: 'decisions';
}
