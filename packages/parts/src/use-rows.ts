import type { ClientUseView } from '@virga/protocol';

/** As CSV (RFC 4180): a line for each slice of time in which something came, for each API, and for each reason. */
export function rowsOfUse({ slices, apis, reasons }: ClientUseView): string[][] {
  const counts = (passed: number, wouldRefuse: number | null, refused: number): string[] => [
    String(passed),
    wouldRefuse === null ? '' : String(wouldRefuse),
    String(refused),
  ];
  return [
    ['of', 'what', 'passed', 'would-be-refused', 'refused'],
    ...slices
      .filter(({ passed, refused }) => passed + refused > 0)
      .map(({ at, passed, wouldRefuse, refused }) => ['time', new Date(at).toISOString(), ...counts(passed, wouldRefuse, refused)]),
    ...apis.map(({ apiName, passed, refused }) => ['api', apiName, ...counts(passed, null, refused)]),
    ...reasons.map(({ code, outcome, count }) => [
      'reason',
      code,
      '',
      outcome === 'would-refuse' ? String(count) : '',
      outcome === 'refused' ? String(count) : '',
    ]),
  ];
}
