import { readEntry } from '../address/ip.js';
import { ADDRESS_BOUNDS, type AddressRule, type NetworkRule } from '../document/address-rule.js';
import { checkName, fail, isName, unique } from './check-values.js';

/** Checks the named networks. @throws ConfigError */
export function checkNetworks(networks: readonly NetworkRule[], at: string): void {
  if (networks.length > ADDRESS_BOUNDS.networks) fail(at, `at most ${ADDRESS_BOUNDS.networks} networks have names`);
  unique(
    networks.map(({ name }) => name.toLowerCase()),
    (index) => `${at}/${index}/name`,
    'two networks have the same name',
  );
  networks.forEach(({ name, entries }, index) => {
    checkName(name, `${at}/${index}/name`);
    checkEntries(entries, new Set(), `${at}/${index}/entries`);
  });
}

/** Checks a rule about addresses. @param names of the networks that there are @throws ConfigError */
export function checkAddresses(rule: AddressRule, names: ReadonlySet<string>, at: string): void {
  if (rule.kind !== 'anywhere') checkEntries(rule.of, names, `${at}/of`);
}

/** Checks addresses, networks in CIDR form and names. @throws ConfigError */
export function checkEntries(entries: readonly string[], names: ReadonlySet<string>, at: string): void {
  if (entries.length === 0) fail(at, 'name at least one address or network');
  if (entries.length > ADDRESS_BOUNDS.entries) fail(at, `at most ${ADDRESS_BOUNDS.entries} entries stand in one list`);
  entries.forEach((entry, index) => {
    if (names.has(entry)) return;
    // What could be no address in any spelling was meant as a name.
    if (isName(entry.trimEnd())) fail(`${at}/${index}`, `there is no network called ${entry.slice(0, 60)}`);
    const range = readEntry(entry);
    if ('wrong' in range) fail(`${at}/${index}`, range.wrong);
  });
}
