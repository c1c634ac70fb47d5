import { compileExpression } from '../expression';

interface Field {
  to: string;
  from: string;
}

/** A map in one of its two forms: fields, or JSONata for the whole body with fields laid over it. */
export interface MapText {
  fields?: Field[];
  whole?: string;
}

/** All body fields as one object constructor; fields outside of the body stay beside it. */
export function wholeOf(map: MapText): MapText {
  interface Node {
    value?: string;
    inner: Map<string, Node>;
  }
  const root: Node = { inner: new Map() };
  const rest: Field[] = [];
  let all: string | undefined;
  for (const f of map.fields ?? []) {
    const parts = f.to.split('/').slice(1);
    if (f.to === '/body') all = f.from;
    else if (parts[0] !== 'body') rest.push(f);
    else {
      let at = root;
      for (const p of parts.slice(1)) {
        const name = p.replace(/~1/g, '/').replace(/~0/g, '~');
        at = at.inner.get(name) ?? at.inner.set(name, { inner: new Map() }).get(name)!;
      }
      at.value = f.from;
    }
  }
  const text = (n: Node, pad: string): string =>
    n.inner.size
      ? `{\n${[...n.inner].map(([k, v]) => `${pad}  ${JSON.stringify(k)}: ${text(v, `${pad}  `)}`).join(',\n')}\n${pad}}`
      : (n.value ?? 'null');
  return { whole: all ?? (root.inner.size ? text(root, '') : '{}'), fields: rest };
}

/** Back to fields where the text is one object of named members at its top; otherwise the whole body is one field. */
export function fieldsOf(map: MapText): MapText {
  const { whole = '', fields = [] } = map;
  const made = membersOf(whole, '/body') ?? [{ to: '/body', from: whole }];
  return { whole: undefined, fields: [...made, ...fields] };
}

function membersOf(source: string, pointer: string): Field[] | undefined {
  const text = source.trim();
  if (!text.startsWith('{') || !text.endsWith('}')) return undefined;
  const out: Field[] = [];
  for (const part of splitTop(text.slice(1, -1), ',')) {
    const [name, ...value] = splitTop(part, ':');
    const key = /^\s*"((?:[^"\\]|\\.)*)"\s*$/.exec(name ?? '')?.[1];
    if (key === undefined || !value.length) return undefined;
    const to = `${pointer}/${(JSON.parse(`"${key}"`) as string).replace(/~/g, '~0').replace(/\//g, '~1')}`;
    const from = value.join(':').trim();
    const inner = membersOf(from, to);
    if (inner?.length) out.push(...inner);
    else out.push({ to, from });
  }
  try {
    for (const f of out) compileExpression(f.from);
  } catch {
    return undefined;
  }
  return out;
}

/** Cuts at a character that stands in no bracket and no string. */
export function splitTop(text: string, at: string): string[] {
  const out: string[] = [];
  let depth = 0;
  let from = 0;
  let quote = '';
  for (let i = 0; i < text.length; i++) {
    const c = text[i]!;
    if (quote) {
      if (c === '\\') i++;
      else if (c === quote) quote = '';
    } else if (c === '"' || c === "'" || c === '`') quote = c;
    else if ('([{'.includes(c)) depth++;
    else if (')]}'.includes(c)) depth--;
    else if (c === at && depth === 0) {
      out.push(text.slice(from, i));
      from = i + 1;
    }
  }
  out.push(text.slice(from));
  return out.filter((p) => p.trim() !== '');
}
