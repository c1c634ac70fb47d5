import { compileExpression } from '../expression';
import type { TypeRow } from '../schema/tree';
import { pathExpression } from './expression';
import { constructedFields, constructorOf, type MadeField } from './constructor';

/** A map in one of its two forms: fields, or JSONata for the whole body with fields laid over it. */
export interface MapText {
  fields?: MadeField[];
  whole?: string;
}

const BODY = '/body';

/** All body fields as one object constructor; fields outside of the body stay beside it. */
export function wholeOf(map: MapText): MapText {
  const fields = map.fields ?? [];
  const inBody = fields.filter((f) => f.to.startsWith(`${BODY}/`));
  const all = fields.findLast((f) => f.to === BODY)?.from;
  return {
    whole:
      all ??
      constructorOf(
        inBody.map((f) => ({ ...f, to: f.to.slice(BODY.length) })),
        true,
      ),
    fields: fields.filter((f) => f.to !== BODY && !inBody.includes(f)),
  };
}

/** Back to fields where the text is one object of named members at its top; otherwise the whole body is one field. */
export function fieldsOf(map: MapText): MapText {
  const { whole = '', fields = [] } = map;
  const made = membersOf(whole) ?? [{ to: BODY, from: whole }];
  return { whole: undefined, fields: [...made, ...fields] };
}

/**
 * A body taken over as it is (`/body` from `body`), as one field for each member at its top, so that each can be joined
 * otherwise. Members that the target's type does not name are then left out. Undefined where this map has no such field,
 * or the type names no members.
 */
export function splitBody(map: MapText, targets: readonly TypeRow[]): MapText | undefined {
  const fields = map.fields ?? [];
  if (fields.findLast((f) => f.to === BODY)?.from.trim() !== 'body') return undefined;
  const laid = new Set(fields.map((f) => f.to));
  const top = targets.filter((r) => /^\/body\/[^/]+$/.test(r.pointer) && r.pointer !== `${BODY}/*`);
  if (!top.length) return undefined;
  return {
    ...map,
    fields: [
      ...top.filter((r) => !laid.has(r.pointer)).map((r) => ({ to: r.pointer, from: pathExpression(r.pointer) })),
      ...fields.filter((f) => f.to !== BODY),
    ],
  };
}

function membersOf(source: string): MadeField[] | undefined {
  const out = constructedFields(source, BODY);
  try {
    for (const f of out ?? []) compileExpression(f.from);
  } catch {
    return undefined;
  }
  return out;
}
