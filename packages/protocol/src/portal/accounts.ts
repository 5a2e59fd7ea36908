import { Type } from 'class-transformer';
import { IsArray, IsBoolean, IsIn, IsInt, IsNotEmpty, IsOptional, IsString, Matches, MaxLength } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { Nested, NestedEach } from '../nested.js';
import { ChosenPassword, OneLine } from './names.js';

export const TEAM_ROLES = ['owner', 'member'] as const;
export type TeamRole = (typeof TEAM_ROLES)[number];

/** A new account is `waiting` where the operator approves each; nothing of one that is `off` is taken. */
export const ACCOUNT_STATES = ['waiting', 'active', 'off'] as const;
export type AccountState = (typeof ACCOUNT_STATES)[number];

/** How one comes to an account without being invited: not at all, once the operator approved, or at once. */
export const REGISTRATIONS = ['closed', 'by-hand', 'by-itself'] as const;
export type Registration = (typeof REGISTRATIONS)[number];

/** What an account signs in with. */
const SignInName = (): PropertyDecorator => (target, property) => {
  IsString()(target, property);
  Matches(/^[\p{L}\p{N}][\p{L}\p{N}._@+-]{1,98}$/u, { message: 'Two to 99 letters, digits and . _ @ + -, a letter or digit first' })(target, property);
};

export class PortalSignInInput {
  @IsString() @IsNotEmpty({ message: 'Give the name of the account' }) @MaxLength(100) name: string;
  @IsString() @IsNotEmpty({ message: 'Give the password' }) @MaxLength(200) password: string;
}

class NewAccount {
  @SignInName() name: string;
  @OneLine(100, 'Say what you are called') shownName: string;
  @ChosenPassword() password: string;
}

/** An account that nobody was invited to. */
export class RegistrationInput extends NewAccount {
  @OneLine(100, 'Say which team or company you are of') team: string;
  @MayBeLeftOut() @IsString() @MaxLength(1000) reason?: string;
}

export class InvitationInput {
  @IsString() @IsNotEmpty({ message: 'The link is not whole' }) @MaxLength(200) token: string;
}

/** Takes an invitation with a new account. */
export class InvitationAccount extends NewAccount {
  @IsString() @IsNotEmpty({ message: 'The link is not whole' }) @MaxLength(200) token: string;
}

export class NewPasswordInput {
  @IsString() @IsNotEmpty({ message: 'The link is not whole' }) @MaxLength(200) token: string;
  @ChosenPassword() password: string;
}

/** What an invitation is for. */
export class InvitationView {
  /** `join` a team, or choose a `password` anew. */
  @IsIn(['join', 'password']) kind: 'join' | 'password';
  /** The team that one joins; the account whose password is chosen. */
  @IsString() name: string;
  @IsIn([...TEAM_ROLES]) role: TeamRole;
  @IsInt() expiresAt: number;
}

export class ProviderSignInInput {
  @IsString() @IsNotEmpty() @MaxLength(100) providerId: string;
  /** An invitation that is taken when the sign-in is done. */
  @MayBeLeftOut() @IsString() @IsNotEmpty() @MaxLength(200) invitation?: string;
}

/** Where the browser goes on. */
export class GoTo {
  @IsString() goTo: string;
}

export class LookInput {
  @IsString() @IsNotEmpty() @MaxLength(200) code: string;
}

export class AccountPatch {
  @MayBeLeftOut() @OneLine(100, 'Say what you are called') shownName?: string;
  /** With the password that there was, where there was one. */
  @MayBeLeftOut() @IsString() @MaxLength(200) oldPassword?: string;
  @MayBeLeftOut() @ChosenPassword() password?: string;
}

/** Takes one's own account away. */
export class AccountRemoval {
  /** The password, where the account has one. */
  @MayBeLeftOut() @IsString() @MaxLength(200) password?: string;
}

export class OwnTeam {
  @IsString() id: string;
  @IsString() name: string;
  @IsIn([...TEAM_ROLES]) role: TeamRole;
}

/** Who is signed in to the portal. */
export class PortalSession {
  /** Empty while an operator looks as a team. */
  @IsString() accountId: string;
  @IsString() name: string;
  @IsString() shownName: string;
  @IsIn([...ACCOUNT_STATES]) state: AccountState;
  /** Whether it has a password here; an account of a provider has none. */
  @IsBoolean() hasPassword: boolean;
  @IsArray() @NestedEach() @Type(() => OwnTeam) teams: OwnTeam[];
  /** An operator looks, and can change nothing. */
  @IsBoolean() looks: boolean;
  /** To be sent in the header X-CSRF-Token with every request that changes something. */
  @IsString() csrfToken: string;
  @IsInt() expiresAt: number;
}

export class TeamInput {
  @OneLine(100, 'A team needs a name') name: string;
}

export class TeamMember {
  @IsString() accountId: string;
  @IsString() name: string;
  @IsString() shownName: string;
  @IsIn([...TEAM_ROLES]) role: TeamRole;
  @IsIn([...ACCOUNT_STATES]) state: AccountState;
  @IsInt() since: number;
}

/** An invitation that nobody has taken yet. Its link is shown once. */
export class OpenInvitation {
  @IsString() id: string;
  @IsIn([...TEAM_ROLES]) role: TeamRole;
  @IsString() note: string;
  @IsInt() madeAt: number;
  @IsString() madeBy: string;
  @IsInt() expiresAt: number;
}

export class NewInvitation {
  @IsIn([...TEAM_ROLES]) role: TeamRole;
  /** For whom it is, for those who look at the list. */
  @MayBeLeftOut() @IsString() @MaxLength(200) note?: string;
}

export class InvitationMade {
  @Nested() @Type(() => OpenInvitation) invitation: OpenInvitation;
  /** Good once, shown this once. */
  @IsString() link: string;
}

export class MemberPatch {
  @IsIn([...TEAM_ROLES]) role: TeamRole;
}

export class TeamView extends OwnTeam {
  @IsInt() madeAt: number;
  @IsArray() @NestedEach() @Type(() => TeamMember) members: TeamMember[];
  /** For owners; empty for others. */
  @IsArray() @NestedEach() @Type(() => OpenInvitation) invitations: OpenInvitation[];
}

export class NoticeView {
  @IsString() id: string;
  @IsString() text: string;
  @IsIn(['news', 'warning']) tone: 'news' | 'warning';
  @IsOptional() @IsInt() fromAt: number | null;
  @IsOptional() @IsInt() untilAt: number | null;
}

export class PageLink {
  @IsString() slug: string;
  @IsString() title: string;
}

export class PageText extends PageLink {
  /** Markdown (CommonMark); markup of HTML in it is shown as text. */
  @IsString() text: string;
  @IsInt() changedAt: number;
}

export class OpenProvider {
  @IsString() id: string;
  @IsString() label: string;
}

/** What the portal shows before anything else. */
export class PortalSite {
  @IsString() name: string;
  /** A picture as a data address; empty for none. */
  @IsString() mark: string;
  /** `#rrggbb`. */
  @IsString() colour: string;
  /** Markdown. */
  @IsString() welcome: string;
  @IsString() contact: string;
  @IsIn([...REGISTRATIONS]) registration: Registration;
  /** Where one signs in to the portal. */
  @IsArray() @NestedEach() @Type(() => OpenProvider) providers: OpenProvider[];
  /** Where programs can be registered by who is signed in. */
  @IsArray() @NestedEach() @Type(() => OpenProvider) registers: OpenProvider[];
  @IsArray() @NestedEach() @Type(() => NoticeView) notices: NoticeView[];
  @IsArray() @NestedEach() @Type(() => PageLink) pages: PageLink[];
  @IsOptional() @Nested() @Type(() => PortalSession) session: PortalSession | null;
}
