import { describeAddresses } from '@virga/core';
import { useQuery } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import { addressRuleOf, type AddressRuleDto } from '@virga/protocol';
import { useState } from 'react';
import { AddressRuleEditor, wrongIn } from './address-rule-editor';
import { addressesQuery } from './address-queries';
import { onlyOne, RuleDialog, subjectWords, type RuleSubject } from './rule-dialog';

/** From where an API, or chosen operations of it, may be called. */
export function AddressDialog(subject: RuleSubject) {
  const { api, operations } = subject;
  const { data: addresses, error } = useQuery(addressesQuery);
  const [rule, setRule] = useState<AddressRuleDto | null>(operations === null ? api.addresses : (onlyOne(subject)?.addresses ?? null));
  const usable = rule === null || (addresses !== undefined && wrongIn(addressRuleOf(rule), addresses.networks) === '');
  return (
    <RuleDialog subject={subject} title={`From where ${subjectWords(subject)} may be called`} patch={usable ? { addresses: rule } : null}>
      <ProblemNotice error={error} />
      {operations !== null && (
        <label className="check">
          <input type="checkbox" checked={rule === null} onChange={(event) => setRule(event.target.checked ? null : { ...api.addresses })} /> as the API says:{' '}
          <span className="quiet">{describeAddresses(addressRuleOf(api.addresses))}</span>
        </label>
      )}
      {rule !== null && addresses && <AddressRuleEditor id="addresses" rule={rule} onChange={setRule} addresses={addresses} fenced />}
      {addresses && addresses.fence.addresses.kind !== 'anywhere' && (
        <p className="quiet small" style={{ margin: 0 }}>
          The gateway’s own fence stands before it: {describeAddresses(addressRuleOf(addresses.fence.addresses))}.
        </p>
      )}
    </RuleDialog>
  );
}
