import { waysIn, type FlowDocument, type WayIn } from '@hinge/core';
import { demand } from './documents';

type Acting = WayIn['guards'][number];

/** Members that hold secrets, or their hashes. */
const HIDDEN = /secret|password|users|keys|kind|off|note/i;

/** What is set, in one line; values that are lists or mappings by their number, secrets not at all. */
const settings = (guard: Acting['guard']): string =>
  Object.entries(guard)
    .filter(([name]) => !HIDDEN.test(name))
    .map(([name, v]) =>
      Array.isArray(v)
        ? `${name} ${v.every((x) => typeof x === 'string') && v.length < 6 ? v.join(' ') : `(${v.length})`}`
        : v !== null && typeof v === 'object'
          ? `${name} (${Object.keys(v).length})`
          : `${name} ${String(v)}`,
    )
    .join(', ');

/** Where a guard was set, for a person. */
function originWords({ origin }: Acting, way: WayIn): string {
  switch (origin) {
    case 'workspace':
      return 'the workspace';
    case 'api':
      return 'the API, for all doors';
    case 'door':
      return `the door ${way.door}`;
    case 'plan':
      return 'the plan';
    default:
      return `the ${origin} ${way.name}`;
  }
}

const told = (document: FlowDocument) =>
  waysIn(document).map((way) => ({
    door: way.door,
    method: way.method,
    path: way.path,
    kind: way.kind,
    name: way.name,
    open: way.open,
    guards: way.guards.map((g) => ({
      kind: g.guard.kind,
      words: settings(g.guard),
      from: originWords(g, way),
    })),
  }));

function text(file: string, document: FlowDocument): string {
  const lines = [`${file}: ${document.api.name} ${document.api.version}`];
  for (const way of told(document)) {
    lines.push(
      `  ${way.method} ${way.path || '/'}  ${way.name}, door ${way.door}${way.open ? '  (open: nobody is asked who calls)' : ''}`,
    );
    for (const g of way.guards) lines.push(`    ${g.kind.padEnd(12)} ${g.words}${g.words && '  '}from ${g.from}`);
  }
  for (const [id, plan] of Object.entries(document.plans ?? {})) {
    lines.push(`  plan ${plan.name ?? id}, for its apps besides`);
    for (const g of (plan.guards ?? []).filter((x) => !x.off)) lines.push(`    ${g.kind.padEnd(12)} ${settings(g)}`);
  }
  if (lines.length === 1) lines.push('  no door: only other flows call it');
  return lines.join('\n');
}

/** Every way in of each file with the guards that act there, in the order in which they act, and where each of them was set. */
export async function guards(files: readonly string[], json: boolean): Promise<void> {
  const documents: [string, FlowDocument][] = [];
  for (const file of files) documents.push([file, await demand(file)]);
  process.stdout.write(
    json
      ? `${JSON.stringify(
          documents.map(([file, d]) => ({ file, api: d.api.name, ways: told(d) })),
          null,
          2,
        )}\n`
      : `${documents.map(([file, d]) => text(file, d)).join('\n')}\n`,
  );
}
