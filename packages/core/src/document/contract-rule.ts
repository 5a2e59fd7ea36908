/** The parts of a message that a contract speaks of. */
export const CONTRACT_PARTS = [
  'contract-path',
  'contract-query',
  'contract-header',
  'contract-cookie',
  'contract-security',
  'contract-type',
  'contract-body',
  'contract-status',
  'contract-fields',
  'contract-answer',
] as const;
export type ContractPart = (typeof CONTRACT_PARTS)[number];

/** Parts of the answer; all others are of the request. */
export const ANSWER_PARTS: ReadonlySet<ContractPart> = new Set<ContractPart>(['contract-status', 'contract-fields', 'contract-answer']);

export const CONTRACT_MODES = ['off', 'observe', 'enforce'] as const;
export type ContractMode = (typeof CONTRACT_MODES)[number];

/** What of a contract is held against requests and answers, and how strictly. */
export interface ContractRule {
  readonly parts: Readonly<Record<ContractPart, ContractMode>>;
  /** Query parameters that the contract does not name. */
  readonly unknownQuery: 'allow' | 'refuse';
  /** Members of bodies that no schema names: as the schemas say, or none at all. */
  readonly unknownMembers: 'as-said' | 'refuse';
  /** Members that are `readOnly`, in a request. Those that are `writeOnly` never leave in an answer. */
  readonly readOnlySent: 'allow' | 'refuse';
  /** Whether `format` is held against values. */
  readonly formats: boolean;
  /** Bytes of a body that are held to check it. */
  readonly bodyBytes: number;
  /** What becomes of a body that is larger. */
  readonly largerBody: 'pass' | 'refuse';
}

/** What one operation asks for instead of the API: whole members, and of `parts` single ones. */
export type ContractOverride = Partial<Omit<ContractRule, 'parts'>> & { readonly parts?: Partial<Record<ContractPart, ContractMode>> };

/** Least and most of a body that is held, bytes. */
export const CONTRACT_BODY_BYTES = [1024, 16_777_216] as const;

const everyPart = (mode: ContractMode): Readonly<Record<ContractPart, ContractMode>> =>
  Object.freeze(Object.fromEntries(CONTRACT_PARTS.map((part) => [part, mode])) as Record<ContractPart, ContractMode>);

/** Nothing of the contract is held against anything. */
export const NO_CONTRACT: ContractRule = Object.freeze({
  parts: everyPart('off'),
  unknownQuery: 'refuse',
  unknownMembers: 'as-said',
  readOnlySent: 'refuse',
  formats: true,
  bodyBytes: 1_048_576,
  largerBody: 'refuse',
});

/** The rule of an API with the changes of an operation. */
export const contractInForce = (rule: ContractRule, own: ContractOverride | null): ContractRule =>
  own === null ? rule : { ...rule, ...own, parts: { ...rule.parts, ...own.parts } };

/** Whether any part is looked at. */
export const looksAtContract = ({ parts }: ContractRule): boolean => CONTRACT_PARTS.some((part) => parts[part] !== 'off');
