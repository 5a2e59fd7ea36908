import type { ApiView, OperationView } from '@virga/protocol';
import { useState, type ComponentType } from 'react';
import { AccessDialog } from './access-dialog';
import { AddressDialog } from './address-dialog';
import { AuthorizerDialog } from './authorizer-dialog';
import { ConditionDialog } from './condition-dialog-later';
import { ContractDialog } from './contract-dialog';
import { LimitsDialog } from './limits-dialog';
import { ModesDialog } from './modes-dialog';
import type { RuleSubject } from './rule-dialog';
import { TokenDialog } from './token-dialog';

interface Rule {
  /** What it is called for the API; null for what is set elsewhere for the whole API. */
  readonly ofApi: string | null;
  readonly ofOperations: string;
  readonly Dialog: ComponentType<RuleSubject>;
}

/** Rules that an API sets for all its operations, and operations for themselves. */
const RULES: readonly Rule[] = [
  { ofApi: 'who may call by default', ofOperations: 'who may call', Dialog: AccessDialog },
  { ofApi: 'from where', ofOperations: 'from where', Dialog: AddressDialog },
  { ofApi: 'conditions', ofOperations: 'conditions', Dialog: ConditionDialog },
  { ofApi: 'authorizers', ofOperations: 'authorizers', Dialog: AuthorizerDialog },
  { ofApi: 'plan and limits', ofOperations: 'plan and limits', Dialog: LimitsDialog },
  { ofApi: null, ofOperations: 'tokens', Dialog: TokenDialog as ComponentType<RuleSubject> },
  { ofApi: 'contract', ofOperations: 'contract', Dialog: ContractDialog },
  { ofApi: 'modes', ofOperations: 'modes', Dialog: ModesDialog },
];

/** The ways to the rules of an API, and to those of the operations that are selected. */
export function RulesBar({ api, selected }: { readonly api: ApiView; readonly selected: readonly OperationView[] }) {
  const [open, setOpen] = useState<{ readonly rule: Rule; readonly operations: readonly OperationView[] | null } | null>(null);
  const none = selected.length === 0;
  return (
    <>
      <span style={{ marginLeft: 'auto' }}>
        For the API:{' '}
        <Links
          words={RULES.flatMap(({ ofApi }, at) => (ofApi === null ? [] : [{ at, word: ofApi }]))}
          onOpen={(at) => setOpen({ rule: RULES[at] as Rule, operations: null })}
        />
      </span>
      <span>
        For the selected:{' '}
        <Links
          words={RULES.map(({ ofOperations }, at) => ({ at, word: ofOperations }))}
          off={none}
          onOpen={(at) => setOpen({ rule: RULES[at] as Rule, operations: selected })}
        />
      </span>
      {open && (
        <open.rule.Dialog
          api={api}
          // What is counted of them goes on while one reads.
          operations={open.operations?.map((one) => selected.find(({ id }) => id === one.id) ?? one) ?? null}
          onClose={() => setOpen(null)}
        />
      )}
    </>
  );
}

function Links({
  words,
  off = false,
  onOpen,
}: {
  readonly words: readonly { readonly at: number; readonly word: string }[];
  readonly off?: boolean;
  readonly onOpen: (at: number) => void;
}) {
  return words.map(({ at, word }, index) => (
    <span key={at}>
      {index > 0 && ', '}
      <button className="link" disabled={off} style={off ? { opacity: 0.5 } : {}} onClick={() => onOpen(at)}>
        {word}
      </button>
    </span>
  ));
}
