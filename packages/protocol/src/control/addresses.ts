import { ADDRESS_BOUNDS, plainAddress, type AddressRule, type CallerAddressRule, type CheckMode, type FenceRule, type NetworkRule } from '@virga/core';
import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsBoolean, IsIn, IsInt, IsOptional, IsString, MaxLength, ValidateBy, ValidateIf } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { Nested, NestedEach } from '../nested.js';

/** An IPv4 or IPv6 address in its strict form, without a zone. */
export const IsAddress = (): PropertyDecorator =>
  ValidateBy({
    name: 'address',
    validator: {
      validate: (value) => typeof value === 'string' && plainAddress(value) !== null,
      defaultMessage: () => 'An address is written as 192.0.2.7 or 2001:db8::7',
    },
  });

const Entries = (): PropertyDecorator => (target, property) => {
  IsArray()(target, property);
  ArrayMaxSize(ADDRESS_BOUNDS.entries)(target, property);
  IsString({ each: true })(target, property);
  MaxLength(100, { each: true })(target, property);
};

/** From where one may call. */
export class AddressRuleDto {
  @IsIn(['anywhere', 'only', 'except']) kind: AddressRule['kind'];
  /** Addresses, networks in CIDR form and names of networks; not for `anywhere`. */
  @ValidateIf((rule: AddressRuleDto) => rule.kind !== 'anywhere') @Entries() of?: string[];
}

/** The rule that was sent, in core's own form. */
export const addressRuleOf = ({ kind, of = [] }: AddressRuleDto): AddressRule => (kind === 'anywhere' ? { kind } : { kind, of });

/** A rule as it is sent. */
export const addressRuleView = (rule: AddressRule): AddressRuleDto => (rule.kind === 'anywhere' ? { kind: rule.kind } : { kind: rule.kind, of: [...rule.of] });

/** Networks under one name. */
export class NetworkDto implements NetworkRule {
  @IsString() @MaxLength(60) name: string;
  @IsString() @MaxLength(500) description: string;
  @Entries() entries: string[];
}

/** From where the gateway may be called at all. */
export class FenceDto {
  @IsIn(['observe', 'enforce']) mode: CheckMode;
  @Nested() @Type(() => AddressRuleDto) addresses: AddressRuleDto;
}

export const fenceOf = ({ mode, addresses }: FenceDto): FenceRule => ({ mode, addresses: addressRuleOf(addresses) });

/** How the address of a caller is found behind hops. */
export class CallerAddressDto implements CallerAddressRule {
  @IsIn(['forwarded', 'x-forwarded-for']) header: CallerAddressRule['header'];
  @Entries() trustedHops: string[];
}

/** What the draft says of addresses for the gateway as a whole. */
export class AddressesView {
  /** Of what the draft says here; what `If-Match` takes. */
  @IsString() revision: string;
  @IsArray() @NestedEach() @Type(() => NetworkDto) networks: NetworkDto[];
  @Nested() @Type(() => FenceDto) fence: FenceDto;
  /** Null takes the address of the connection. */
  @IsOptional() @Nested() @Type(() => CallerAddressDto) callerAddress: CallerAddressDto | null;
  /** What came of the fence in the last 24 hours. */
  @IsInt() refused: number;
  @IsInt() wouldRefuse: number;
  /** The address from which the one who asks reached the control plane, as it saw it. */
  @IsString() yours: string;
}

/** Members left out stay as they are. */
export class AddressesPatch {
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(ADDRESS_BOUNDS.networks) @NestedEach() @Type(() => NetworkDto) networks?: NetworkDto[];
  @MayBeLeftOut() @Nested() @Type(() => FenceDto) fence?: FenceDto;
  /** Null takes the address of the connection again. */
  @IsOptional()
  @ValidateIf((patch: AddressesPatch) => patch.callerAddress !== null)
  @Nested()
  @Type(() => CallerAddressDto)
  callerAddress?: CallerAddressDto | null;
}

/** Would this address pass? */
export class AddressQuestion {
  /** The address that the connection comes from. */
  @IsAddress() from: string;
  /** What the field says by which hops tell where a request came from; left out for none. */
  @MayBeLeftOut() @IsString() @MaxLength(8000) field?: string;
}

/** What a rule about addresses says of one caller. */
export class AddressVerdict {
  /** Empty for the gateway's fence. */
  @IsString() apiId: string;
  @IsOptional() @IsString() operationId: string | null;
  @IsString() name: string;
  /** The rule as a sentence. */
  @IsString() rule: string;
  @IsBoolean() passes: boolean;
  /** Whether what does not pass is refused, or only written down. */
  @IsIn(['observe', 'enforce']) mode: CheckMode;
  @IsString() code: string;
  @IsString() sentence: string;
}

export class AddressAnswer {
  /** Where the request counts as coming from; null where that cannot be known. */
  @IsOptional() @IsString() address: string | null;
  @IsArray() @IsString({ each: true }) via: string[];
  @IsString() unread: string;
  /** Names of the networks that it lies in. */
  @IsArray() @IsString({ each: true }) networks: string[];
  @IsArray() @NestedEach() @Type(() => AddressVerdict) verdicts: AddressVerdict[];
  /** Operations that have no rule of their own and no rule of their API: everyone may call them from anywhere. */
  @IsInt() anywhere: number;
}
