import { escapePointer, pointerParts } from '../schema';

/** An object constructor of JSONata (https://docs.jsonata.org/construction) as fields by pointer, and back. */

export interface MadeField {
  /** Pointer from the object that is made. */
  to: string;
  from: string;
}

interface Node {
  value?: string;
  readonly inner: Map<string, Node>;
}

/** The constructor of some fields; on one line, or each member on its own below `indent`. */
export function constructorOf(fields: readonly MadeField[], lines: boolean): string {
  const root: Node = { inner: new Map() };
  for (const f of fields) {
    let at = root;
    for (const name of pointerParts(f.to)) {
      if (!at.inner.has(name)) at.inner.set(name, { inner: new Map() });
      at = at.inner.get(name)!;
    }
    at.value = f.from;
  }
  const text = (n: Node, pad: string): string => {
    if (!n.inner.size) return n === root ? '{}' : (n.value ?? 'null');
    const deeper = `${pad}  `;
    const members = [...n.inner].map(([k, v]) => `${JSON.stringify(k)}: ${text(v, deeper)}`);
    return lines ? `{\n${members.map((m) => deeper + m).join(',\n')}\n${pad}}` : `{ ${members.join(', ')} }`;
  };
  return text(root, '');
}

/** Fields of a text that is one constructor with named members, of those below them too; undefined for any other text. */
export function constructedFields(source: string, pointer = ''): MadeField[] | undefined {
  const text = source.trim();
  if (!text.startsWith('{') || !text.endsWith('}')) return undefined;
  const out: MadeField[] = [];
  for (const part of splitTop(text.slice(1, -1), ',')) {
    const [name, ...value] = splitTop(part, ':');
    const key = /^\s*("(?:[^"\\]|\\.)*")\s*$/.exec(name ?? '')?.[1];
    if (key === undefined || !value.length) return undefined;
    const to = `${pointer}/${escapePointer(JSON.parse(key) as string)}`;
    const from = value.join(':').trim();
    const inner = constructedFields(from, to);
    if (inner?.length) out.push(...inner);
    else out.push({ to, from });
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
