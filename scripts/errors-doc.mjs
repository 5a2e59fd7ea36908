// Writes docs/errors.md from the table of codes.
import { CODES, entryOf, explain } from '@virga/core';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ROOT } from './lib/prepare.mjs';

const cell = (text) => text.replaceAll('|', '\\|');
const rows = Object.keys(CODES)
  .map((code) => [code, entryOf(code)])
  .filter(([, entry]) => entry.says === 'fails')
  .map(
    ([code, entry]) =>
      `| \`${code}\` | ${entry.status} | ${entry.title} | ${cell(explain(code, entry.example).sentence)} | ${entry.standard} | ${cell(entry.remedy)} |`,
  );
const text = `# Errors of the gateway

Made from the table of codes in \`packages/core/src/verdict\` by \`node scripts/errors-doc.mjs\`; a test holds the two together.
Callers get the status, the title and a coarse problem type (RFC 9457); the code, the values compared and the remedy are in the trace.
Where the check that finds it only observes, nobody is answered so: the trace says what would have been.
Status 499 is never sent: it marks in traces that the caller left.

| code | status | what the caller is told | what the operator reads, for example | standard | what to do |
| --- | --- | --- | --- | --- | --- |
${rows.join('\n')}
`;
writeFileSync(join(ROOT, 'docs', 'errors.md'), text);
