import {
  documentJsonSchema,
  NAME_EXAMPLE,
  NAME_WORDS,
  partsOf,
  readDocument,
  STEP_KINDS,
  type FlowDocument,
} from '@hinge/core';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { stringify } from 'yaml';

/** A JSON Schema as the published one has it, as far as the pages look. */
interface Schema {
  readonly $ref?: string;
  readonly description?: string;
  readonly type?: string | readonly string[];
  readonly const?: unknown;
  readonly enum?: readonly unknown[];
  readonly anyOf?: readonly Schema[];
  readonly oneOf?: readonly Schema[];
  readonly items?: Schema;
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly required?: readonly string[];
  readonly additionalProperties?: Schema | boolean;
  readonly propertyNames?: Schema;
  readonly minimum?: number;
  readonly maximum?: number;
}

interface Example {
  readonly file: string;
  readonly value: unknown;
}

export const exampleDocuments = (folder: string): Documents =>
  readdirSync(folder)
    .filter((f) => f.endsWith('.hinge.yaml'))
    .map((file) => ({ file, document: readDocument(readFileSync(join(folder, file), 'utf8'), file).document! }));

/** Pages of docs/reference by their paths below it, made from the schemas of the code and the documents of `examples`. */
export function referencePages(examples: string): ReadonlyMap<string, string> {
  const schema = documentJsonSchema() as Schema & { $defs?: Record<string, Schema> };
  const deref = (s: Schema | undefined): Schema => (s?.$ref ? deref(pointed(schema, s.$ref)) : (s ?? {}));
  const at = (...path: string[]): Schema =>
    path.reduce<Schema>((s, part) => {
      const here = deref(s);
      return deref(
        part === '*' ? (here.additionalProperties as Schema) : part === '[]' ? here.items : here.properties?.[part],
      );
    }, schema);
  const documents = exampleDocuments(examples);
  const pages = new Map<string, string>();
  const table = (s: Schema, not: readonly string[] = []): string => membersTable(s, deref, not);

  const steps = kindsOf(at('operations', '*', 'flow', '[]'), deref);
  for (const [kind, s] of steps)
    pages.set(
      `steps/${kind}.md`,
      page(
        `Step: ${kind}`,
        `A step that makes this of a message: ${STEP_KINDS.find((k) => k.kind === kind)?.words ?? ''}.`,
        table(s, ['kind']),
        findStep(documents, kind),
        '../../../examples',
      ),
    );
  const guards = kindsOf(at('guards', '[]'), deref);
  for (const [kind, s] of guards)
    pages.set(
      `guards/${kind}.md`,
      page(
        `Guard: ${kind}`,
        `${s.properties?.kind?.description ?? ''}.`,
        table(s, ['kind']),
        findGuard(documents, kind),
        '../../../examples',
      ),
    );
  const door = at('doors', '[]');
  for (const answers of ['json', 'xml', 'graphql', 'events'])
    pages.set(
      `doors/${answers}.md`,
      page(`Door: answers ${answers}`, DOORS[answers]!, table(door), findDoor(documents, answers), '../../../examples'),
    );
  pages.set('topics.md', topicsPage(at('topics', '*'), table, documents));
  pages.set('names.md', namesPage());
  pages.set('README.md', indexPage([...steps.keys()], [...guards.keys()]));
  return pages;
}

const DOORS: Readonly<Record<string, string>> = {
  json: 'Replies are JSON, also those that come as XML from a backend. Without `answers` callers choose by `Accept`, and get JSON when they do not.',
  xml: 'Replies are XML, also those that come as JSON from a backend; requests in XML reach the flow as JSON.',
  graphql: 'One graph over all operations at the base path of the door, by POST and GET.',
  events: 'A path for each topic: POST publishes, GET listens as a stream or waits, a WebSocket does both.',
};

const pointed = (root: Schema, ref: string): Schema =>
  ref
    .replace(/^#\/?/, '')
    .split('/')
    .filter(Boolean)
    .reduce<unknown>((s, part) => (s as Record<string, unknown>)[part], root) as Schema;

/** Members of a union by their `kind`. */
function kindsOf(union: Schema, deref: (s: Schema) => Schema): Map<string, Schema> {
  const all = (union.oneOf ?? union.anyOf ?? []).map(deref);
  return new Map(all.map((s) => [String(s.properties?.kind?.const), s]));
}

function page(title: string, words: string, members: string, example: Example | undefined, folder: string): string {
  const shown =
    example &&
    `\n## Example\n\nOut of [${example.file}](${folder}/${example.file}), which a test runs:\n\n\`\`\`yaml\n${stringify(example.value, { lineWidth: 110 }).trimEnd()}\n\`\`\`\n`;
  return `# ${title}\n\nMade by \`npm run publish-docs\` from the code.\n\n${words}\n\n${members}${shown ?? ''}`;
}

function membersTable(s: Schema, deref: (s: Schema) => Schema, not: readonly string[]): string {
  const rows: string[] = [];
  const add = (owner: Schema, prefix: string, depth: number): void => {
    for (const [name, given] of Object.entries(owner.properties ?? {})) {
      if (depth === 0 && not.includes(name)) continue;
      const m = deref(given);
      const needed = owner.required?.includes(name) ? 'yes' : '';
      const words = given.description ?? m.description ?? '';
      rows.push(`| \`${prefix}${name}\` | ${needed} | ${cell(formOf(m, deref))} | ${cell(words)} |`);
      const inner = m.type === 'array' ? deref(m.items ?? {}) : m;
      if (depth < 2 && inner.properties && !inner.properties.kind)
        add(inner, `${prefix}${name}${m.type === 'array' ? '[]' : ''}.`, depth + 1);
    }
  };
  add(s, '', 0);
  return rows.length
    ? `| member | needed | form | what |\n|---|---|---|---|\n${rows.join('\n')}\n`
    : 'It has no members of its own.\n';
}

const cell = (text: string): string => text.replaceAll('|', '\\|').replaceAll('\n', ' ');

function formOf(s: Schema, deref: (s: Schema) => Schema): string {
  if (s.const !== undefined) return `\`${String(s.const)}\``;
  if (s.enum) return s.enum.map((v) => `\`${String(v)}\``).join(', ');
  const some = s.anyOf ?? s.oneOf;
  if (some) {
    const forms = [...new Set(some.map((o) => formOf(deref(o), deref)))];
    return forms.length > 4 ? 'one of several forms' : forms.join(' or ');
  }
  switch (s.type) {
    case 'string':
      return 'text';
    case 'integer':
    case 'number': {
      const [low, high] = [s.minimum, s.maximum].map((n) =>
        n !== undefined && Math.abs(n) < 2 ** 53 - 1 ? n : undefined,
      );
      const range = low === undefined ? '' : high === undefined ? `, from ${low}` : `, ${low} to ${high}`;
      return `${s.type === 'integer' ? 'whole number' : 'number'}${range}`;
    }
    case 'boolean':
      return 'true or false';
    case 'array':
      return `list of ${formOf(deref(s.items ?? {}), deref)}`;
    case 'object':
      return typeof s.additionalProperties === 'object' && !s.properties ? 'mapping by names' : 'mapping';
    default:
      return 'any value';
  }
}

type Documents = readonly { readonly file: string; readonly document: FlowDocument }[];
type Flow = FlowDocument['operations'][string]['flow'];

/** The shortest step of the kind that stands in an example. */
function findStep(documents: Documents, kind: string): Example | undefined {
  const found: Example[] = [];
  const walk = (flow: Flow, file: string): void => {
    for (const step of flow) {
      if (step.kind === kind) found.push({ file, value: step });
      for (const part of partsOf(step)) walk(part.flow as Flow, file);
    }
  };
  for (const { file, document } of documents) for (const o of Object.values(document.operations)) walk(o.flow, file);
  return richest(found);
}

function findGuard(documents: Documents, kind: string): Example | undefined {
  const found = documents.flatMap(({ file, document: d }) =>
    [d, ...d.doors, ...Object.values(d.operations), ...Object.values(d.plans ?? {})]
      .flatMap((o) => o.guards ?? [])
      .filter((g) => g.kind === kind && !g.off)
      .map((value) => ({ file, value })),
  );
  return richest(found);
}

function findDoor(documents: Documents, answers: string): Example | undefined {
  const fixed = documents.flatMap(({ file, document }) =>
    document.doors.filter((d) => d.answers === answers).map((value) => ({ file, value })),
  );
  return richest(fixed);
}

/** The one that says most, within a page. */
const richest = (all: readonly Example[]): Example | undefined =>
  [...all]
    .sort((a, b) => JSON.stringify(b.value).length - JSON.stringify(a.value).length)
    .find((e) => JSON.stringify(e.value).length < 900) ?? all[0];

function topicsPage(topic: Schema, table: (s: Schema) => string, documents: Documents): string {
  const [example] = documents.flatMap(({ file, document }) =>
    document.topics ? [{ file, value: { topics: document.topics } }] : [],
  );
  return page(
    'Topics',
    'What an event is about: its schema, how long it is kept, who publishes and listens. Topics stand under `topics`, by their names.',
    table(topic),
    example,
    '../../examples',
  );
}

function namesPage(): string {
  const rows = NAME_WORDS.map(
    (n) => `## \`${n.name}\`\n\n${n.words}.\n\n\`\`\`\n${n.example}\n→ ${JSON.stringify(n.gives)}\n\`\`\`\n`,
  );
  return `# Names that expressions begin with

Made by \`npm run publish-docs\` from the code; a test evaluates every example. They are told for this request, at an operation \`POST /vessels/{callNumber}/*\`, by an app of a plan,
behind the step \`{ kind: set, name: first, values: { office: '"TH-22"' } }\`:

\`\`\`yaml
${stringify(NAME_EXAMPLE, { lineWidth: 110 }).trimEnd()}
\`\`\`

${rows.join('\n')}
Any other name is a finding: what is in the body is read as \`body.NAME\`.
`;
}

const indexPage = (steps: readonly string[], guards: readonly string[]): string => `# Reference

Made by \`npm run publish-docs\` from the code; examples are parts of the documents in [examples](../../examples), which a test runs.

- Steps: ${steps.map((s) => `[${s}](steps/${s}.md)`).join(', ')}
- Guards: ${guards.map((g) => `[${g}](guards/${g}.md)`).join(', ')}
- Doors that answer: ${Object.keys(DOORS)
  .map((d) => `[${d}](doors/${d}.md)`)
  .join(', ')}
- [Topics](topics.md)
- [Names that expressions begin with](names.md), [expressions](../expressions.md)
- [Findings and problems](../findings.md), [the schema of the document](../flow.schema.json)
`;
