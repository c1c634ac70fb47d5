import type { FlowDocument, OperationDocument } from '../flow/document';
import { isDescribed } from '../export/openapi';
import { singularWord } from '../draft/names';
import { escapePointer, refName, resolveSchema, typesOf, type TypeTable } from '../schema';
import { SAFE } from './graph';
import type { Join } from './joins';
import { camel } from './types';

/** Joins that names and types speak for: a property that ends like the one parameter that a safe operation needs, or is called like it. */
export function suggestJoins(document: FlowDocument): Join[] {
  const out: Join[] = [];
  const targets = Object.entries(document.operations).flatMap(([id, o]) => {
    const asked = (o.parameters ?? []).filter((p) => p.required || p.in === 'path');
    const type = o.reply?.schema && refName(o.reply.schema);
    return isDescribed(o) && SAFE.has(o.method) && asked.length === 1 && type
      ? [{ id, parameter: asked[0]!.name, type, path: o.path }]
      : [];
  });
  for (const [typeName, schema] of Object.entries(document.types ?? {})) {
    const properties = resolveSchema(schema, document.types ?? {}).properties ?? {};
    for (const [property, s] of Object.entries(properties)) {
      if (!typesOf(resolveSchema(s, document.types ?? {})).some((t) => t === 'string' || t === 'integer')) continue;
      for (const t of targets) {
        const noun = nounOf(property, t.parameter, t.path);
        if (
          noun === undefined ||
          t.type === typeName ||
          noun in properties ||
          out.some((j) => j.type === typeName && j.field === noun)
        )
          continue;
        const many = togetherFor(document, t.type, t.parameter);
        out.push(
          many
            ? {
                type: typeName,
                field: noun,
                operation: many.operation,
                with: { [many.parameter]: property },
                list: many.list,
              }
            : { type: typeName, field: noun, operation: t.id, with: { [t.parameter]: property } },
        );
      }
    }
  }
  return out;
}

/** How many items of a list come when nobody says how many (common practice; no standard names it). */
const PAGE_SIZE = /^(?:limit|size|count|top|first|(?:per[_-]?page)|(?:page[_-]?size)|(?:max[_-]?(?:results|items)))$/i;

/**
 * A safe operation that answers a list of a type and takes many of the values that tell its items apart: ?ids=1&ids=2 beside /things/{id} or
 * /things/{thingId}. No more at once than come in one page.
 */
function togetherFor(document: FlowDocument, type: string, parameter: string) {
  const types = document.types ?? {};
  const by = identityOf(type, parameter, types);
  if (by === undefined) return undefined;
  const called = [parameter, by].flatMap((n) => [n, `${n}s`]).map((n) => n.toLowerCase());
  for (const [operation, o] of Object.entries(document.operations)) {
    if (!isDescribed(o) || !SAFE.has(o.method) || !o.reply?.schema) continue;
    const items = listOf(o, type, types);
    const lists = (o.parameters ?? []).filter((p) => typesOf(resolveSchema(p.schema, types)).includes('array'));
    const many = lists.find((p) => called.includes(p.name.toLowerCase()));
    if (items === undefined || !many || o.parameters!.some((p) => p !== many && (p.required || p.in === 'path')))
      continue;
    const bounds = [
      resolveSchema(many.schema, types).maxItems,
      ...o.parameters!.filter((p) => PAGE_SIZE.test(p.name)).map((p) => resolveSchema(p.schema, types).default),
    ].filter((n): n is number => typeof n === 'number' && n >= 1);
    const list = { by, ...(items && { items }), ...(bounds.length && { most: Math.min(...bounds, 1000) }) };
    return { operation, parameter: many.name, list };
  }
  return undefined;
}

/** What of a type the parameter of its path says: the property of its name, or its `id` where it is called thingId. */
function identityOf(type: string, parameter: string, types: TypeTable): string | undefined {
  const properties = resolveSchema({ $ref: `#/types/${type}` }, types).properties ?? {};
  if (Object.hasOwn(properties, parameter)) return parameter;
  const ofType = parameter.toLowerCase().replace(/_/g, '') === `${type.toLowerCase()}id`;
  return ofType && Object.hasOwn(properties, 'id') ? 'id' : undefined;
}

/** Where the items stand in a reply: the reply itself, or its only list. */
function listOf(o: OperationDocument, type: string, types: TypeTable): string | undefined {
  const reply = resolveSchema(o.reply!.schema!, types);
  if (typesOf(reply).includes('array')) return refName(reply.items ?? {}) === type ? '' : undefined;
  const lists = Object.entries(reply.properties ?? {}).filter(([, s]) =>
    typesOf(resolveSchema(s, types)).includes('array'),
  );
  const [only] = lists;
  return lists.length === 1 && refName(resolveSchema(only![1], types).items ?? {}) === type
    ? `/${escapePointer(only![0])}`
    : undefined;
}

/** The thing that a property names: vesselId for {vesselId}, or for {id} below /vessels. */
function nounOf(property: string, parameter: string, path: string): string | undefined {
  const stem = /^(.+?)(?:Id|_id|Number|Code|Ref)$/.exec(property)?.[1];
  if (stem === undefined) return undefined;
  const above =
    path
      .split('/')
      .filter((p) => p && !p.startsWith('{'))
      .at(-1)
      ?.toLowerCase() ?? '';
  if (property === parameter)
    return path.toLowerCase().includes(stem.toLowerCase()) && above.startsWith(stem.toLowerCase())
      ? stem
      : camel(singularWord(above));
  const same = above === stem.toLowerCase() || above === `${stem.toLowerCase()}s`;
  return same && property.toLowerCase().endsWith(parameter.toLowerCase()) ? stem : undefined;
}
