import { allows, type ElementDecl, type Wildcard } from '../../contract/xsd';
import { escapeAttribute, XmlError, XmlScanner } from '../../xml';
import type { ShapeFault } from './faults';
import { guardPlain, type XmlOut } from './out';
import { PLAIN, readPlainNamed, writePlainNamed } from './plain';
import { ReadContext } from './read-parts';

/**
 * What stands where a schema leaves room (XML Schema Part 1 §3.10): in JSON it has the general form; what the contract declares is held
 * against its declaration all the same. Undeclared elements under `strict` are refused when they are written. A message that is read may have
 * them: many services declare `strict`, which is the default, and send what they declare nowhere (common practice).
 */

/** How deep room within room is looked into: each level reads its text once more. */
const DEEPEST = 8;

export type ElementReader = (
  declared: ElementDecl,
  actual: ElementDecl,
  member: string | undefined,
  s: XmlScanner,
  c: ReadContext,
) => unknown;

/** The element just opened, in its general form. `place` is where it will stand. */
export function readAny(
  s: XmlScanner,
  wildcard: Wildcard,
  c: ReadContext,
  read: ElementReader,
  ...place: (string | number)[]
): unknown {
  const looks = !c.lenient && wildcard.process !== 'skip' && c.nested < DEEPEST;
  const decl = looks ? wildcard.schemas?.elementNamed(s.name) : undefined;
  if (!decl) return readPlainNamed(s, PLAIN);
  const from = s.at;
  const bindings = new Map(s.bindings());
  const value = readPlainNamed(s, PLAIN);
  for (const p of place) c.enter(p);
  for (const f of faultsIn(s.since(from), bindings, decl, read, c.nested + 1)) c.tell(f.kind, within(decl, f));
  for (const _ of place) c.leave();
  return value;
}

/** Faults of an element by itself; prefixes of its surroundings are bound as they were there. */
function faultsIn(
  text: string,
  bindings: ReadonlyMap<string, string>,
  decl: ElementDecl,
  read: ElementReader,
  nested: number,
): readonly ShapeFault[] {
  let declarations = '';
  for (const [prefix, uri] of bindings)
    if (prefix !== 'xml') declarations += ` xmlns${prefix && `:${prefix}`}="${escapeAttribute(uri)}"`;
  const s = new XmlScanner(`<w${declarations}>${text}</w>`);
  s.next();
  s.next();
  const c = new ReadContext(false, '', nested);
  read(decl, decl, undefined, s, c);
  return c.faults;
}

const within = (decl: ElementDecl, f: ShapeFault): string =>
  f.pointer === '' ? `${decl.name}: ${f.words}` : `${decl.name}, at ${f.pointer}: ${f.words}`;

/** Elements of a wildcard, each an object of one member. */
export function writeAny(
  items: readonly unknown[],
  from: number,
  to: number,
  w: XmlOut,
  wildcards: readonly Wildcard[],
  read: ElementReader,
): void {
  w.enter('$any');
  for (let i = from; i < to; i++) {
    w.enter(i);
    writeOneAny(items[i], '', w, wildcards, read);
    w.leave();
  }
  w.leave();
}

export function writeOneAny(
  item: unknown,
  pointer: string,
  w: XmlOut,
  wildcards: readonly Wildcard[],
  read: ElementReader,
): void {
  guardPlain(w, () => {
    const text = writePlainNamed(item, pointer, PLAIN);
    w.out += text;
    try {
      hold(text, w, wildcards, read);
    } catch (error) {
      if (!(error instanceof XmlError)) throw error;
      w.tell('type', error.message);
    }
  });
}

function hold(text: string, w: XmlOut, wildcards: readonly Wildcard[], read: ElementReader): void {
  const s = new XmlScanner(text);
  s.next();
  const { uri, local } = s.name;
  const wildcard = wildcards.find((x) => allows(x, uri));
  if (!wildcard) {
    w.tell('unknown', `${local}: no element of ${uri || 'no namespace'} may stand here`);
    return;
  }
  if (wildcard.process === 'skip') return;
  const decl = wildcard.schemas?.elementNamed({ uri, local });
  if (decl) for (const f of faultsIn(text, new Map(), decl, read, 1)) w.tell(f.kind, within(decl, f));
  else if (wildcard.process === 'strict' && wildcard.schemas)
    w.tell(
      'unknown',
      `${local} of ${uri || 'no namespace'} is declared nowhere, and only what is declared may stand here`,
    );
}
