import { compileExpression } from '../expression';
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

function membersOf(source: string): MadeField[] | undefined {
  const out = constructedFields(source, BODY);
  try {
    for (const f of out ?? []) compileExpression(f.from);
  } catch {
    return undefined;
  }
  return out;
}
