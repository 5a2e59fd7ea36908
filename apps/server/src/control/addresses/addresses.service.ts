import { Injectable } from '@nestjs/common';
import {
  ADDRESS_BOUNDS,
  AddressSet,
  compileAddresses,
  compileCallerAddress,
  describeAddresses,
  entryOf,
  explain,
  modeOf,
  plainAddress,
  type AddressRule,
  type CallerAddress,
  type CheckMode,
} from '@virga/core';
import {
  addressRuleView,
  fenceOf,
  type AddressAnswer,
  type AddressesPatch,
  type AddressesView,
  type AddressQuestion,
  type AddressVerdict,
} from '@virga/protocol';
import { problem } from '../../http/problems.js';
import { stepOutcomes } from '../../store/record-store.js';
import { Store } from '../../store/store.js';
import type { EditedBy } from '../../session/edited-by.js';
import { partOf, revisionOf } from '../releases/draft-part.js';
import { DraftService } from '../releases/draft.service.js';

const PART = { kind: 'addresses' } as const;
const DAY_MS = 86_400_000;
/** Verdicts of one question at most. */
const MAX_VERDICTS = 500;

/** From where one may call: the draft's named networks, its fence, its trusted hops, and whether an address would pass. */
@Injectable()
export class AddressesService {
  constructor(
    private readonly store: Store,
    private readonly draft: DraftService,
  ) {}

  /** @param peer the address of whoever asks, as the control plane sees it */
  async view(peer: string): Promise<AddressesView> {
    const { networks, fence, callerAddress } = this.draft.document;
    const outcomes = await stepOutcomes(this.store, 'fence', Math.floor((Date.now() - DAY_MS) / 60_000) * 60_000);
    const count = (outcome: string): number => outcomes.find((row) => row.outcome === outcome)?.count ?? 0;
    return {
      revision: revisionOf(partOf(this.draft.document, PART) ?? {}),
      refused: count('refuse'),
      wouldRefuse: count('would-refuse'),
      networks: networks.map(({ name, description, entries }) => ({ name, description, entries: [...entries] })),
      fence: { mode: fence.mode, addresses: addressRuleView(fence.addresses) },
      callerAddress: callerAddress && { header: callerAddress.header, trustedHops: [...callerAddress.trustedHops] },
      yours: plainAddress(peer) ?? '',
    };
  }

  async change({ networks, fence, callerAddress }: AddressesPatch, edited: EditedBy): Promise<void> {
    await this.draft.change({ part: PART, ...edited }, (document) => ({
      ...document,
      ...(networks === undefined ? {} : { networks: networks.map(({ name, description, entries }) => ({ name, description, entries })) }),
      ...(fence === undefined ? {} : { fence: fenceOf(fence) }),
      ...(callerAddress === undefined ? {} : { callerAddress: callerAddress && { header: callerAddress.header, trustedHops: callerAddress.trustedHops } }),
    }));
  }

  /** What every rule of the draft about addresses says of one caller, by the functions that the gateway runs. */
  ask({ from, field }: AddressQuestion): AddressAnswer {
    const [wrong] = this.draft.problems;
    if (wrong) throw problem(422, 'The draft cannot decide', wrong.detail, [...this.draft.problems]);
    const { networks, fence, callerAddress, apis } = this.draft.document;
    const found = compileCallerAddress(callerAddress, networks)(from, callerAddress && field !== undefined ? { [callerAddress.header]: field } : {});
    const verdicts: AddressVerdict[] = [];
    let anywhere = 0;
    const judge = (of: Pick<AddressVerdict, 'apiId' | 'operationId' | 'name'>, rule: AddressRule, mode: CheckMode): void => {
      const said = verdictOf(rule, found, (set) => compileAddresses(set, networks));
      if (said !== null && verdicts.length < MAX_VERDICTS) verdicts.push({ ...of, rule: describeAddresses(rule), mode, ...said });
    };
    judge({ apiId: '', operationId: null, name: 'The gateway' }, fence.addresses, fence.mode);
    for (const api of apis) {
      judge({ apiId: api.id, operationId: null, name: api.name }, api.addresses, modeOf(api.modes, 'address'));
      for (const operation of api.operations) {
        if ((operation.addresses ?? api.addresses).kind === 'anywhere') anywhere++;
        if (operation.addresses === null) continue;
        const name = `${api.name}, ${operation.method} ${operation.path}`;
        judge({ apiId: api.id, operationId: operation.id, name }, operation.addresses, modeOf(operation.modes ?? api.modes, 'address'));
      }
    }
    const { address, via, unread } = found;
    const inside = address === null ? [] : networks.filter(({ entries }) => new AddressSet(entries, []).find(address) !== null).map(({ name }) => name);
    return { address, via: [...via], unread, networks: inside.slice(0, ADDRESS_BOUNDS.networks), verdicts, anywhere };
  }
}

function verdictOf(
  rule: AddressRule,
  from: CallerAddress,
  compile: (rule: AddressRule) => ReturnType<typeof compileAddresses>,
): Pick<AddressVerdict, 'passes' | 'code' | 'sentence'> | null {
  const found = compile(rule)?.({ from });
  if (!found) return null;
  return { passes: entryOf(found.code).says !== 'fails', code: found.code, sentence: explain(found.code, found.operands)?.sentence ?? found.code };
}
