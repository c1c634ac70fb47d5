import { CODES, documentJsonSchema, type Code } from '@hinge/core';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { exampleDocuments, referencePages } from './reference';

/** Text of docs/findings.md, from the one table of codes. */
export function findingsPage(): string {
  const rows = (Object.keys(CODES) as Code[]).map((code) => {
    const row: { severity: string; title: string; remedy: string; status?: number } = CODES[code];
    return `| \`${code}\` | ${row.severity} | ${row.status ?? ''} | ${row.title} | ${row.remedy} |`;
  });
  return `# Findings and problems

Made by \`npm run publish-docs\` from \`core/src/problem/codes.ts\`; codes are stable and never used again for something else.
1xx: reading XML and contracts. 2xx: the flow document. 3xx: a flow against its contracts. 4xx: a caller's request. 5xx: a backend.
The status is what a caller sees, where a caller can see it.

| code | severity | status | what | remedy |
|---|---|---|---|---|
${rows.join('\n')}
`;
}

const EXAMPLES = join(dirname(fileURLToPath(import.meta.url)), '../../examples');

/** Members have their examples from the documents of `examples`. */
export function schemaPage(): string {
  const documents = exampleDocuments(EXAMPLES).map((e) => e.document);
  return `${JSON.stringify(documentJsonSchema(documents), null, 2)}\n`;
}

if (process.argv[1]?.endsWith('publish.ts')) {
  const docs = join(import.meta.dirname ?? '.', '../../docs');
  writeFileSync(join(docs, 'findings.md'), findingsPage());
  writeFileSync(join(docs, 'flow.schema.json'), schemaPage());
  const reference = join(docs, 'reference');
  rmSync(reference, { recursive: true, force: true });
  for (const [path, text] of referencePages(EXAMPLES)) {
    mkdirSync(dirname(join(reference, path)), { recursive: true });
    writeFileSync(join(reference, path), text);
  }
}
