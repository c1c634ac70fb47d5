import { allows, type Wildcard } from '../../contract/xsd';
import { Digits } from '../../message/digits';
import { escapeAttribute, isXmlName } from '../../xml';
import type { ShapeFault } from './faults';
import type { XmlOut } from './out';
import { isObject } from '../../message/objects';
import { Misfit, show, simpleCodec } from './simple';

/** Attributes of a wildcard, by `name` or `{namespace}name`. */
export function writeOpenAttributes(value: unknown, w: XmlOut, wildcards: readonly Wildcard[]): void {
  if (!isObject(value)) {
    w.tell('type', `${show(value)} is not an object`, '$attributes');
    return;
  }
  w.enter('$attributes');
  for (const key of Object.keys(value)) {
    const close = key.startsWith('{') ? key.indexOf('}') : -1;
    const uri = close < 0 ? '' : key.slice(1, close);
    const local = key.slice(close + 1);
    const v = value[key];
    if (v === undefined) continue;
    if (!isXmlName(local) || local.includes(':'))
      w.tell('type', `${JSON.stringify(local)} is no name that XML allows`, key);
    else if (typeof v === 'object' && v !== null && !(v instanceof Digits))
      w.tell('type', `${show(v)} is not text`, key);
    else {
      const text = v === null ? '' : String(v as string);
      const wrong = wrongAttribute(uri, local, text, wildcards, true);
      if (wrong) w.tell(wrong.kind, wrong.words, key);
      w.out += ` ${w.attributeName(uri, local)}="${escapeAttribute(text)}"`;
    }
  }
  w.leave();
}

/** What is wrong with an attribute where only a wildcard can take it; `strictly` refuses undeclared ones under `strict`. */
export function wrongAttribute(
  uri: string,
  local: string,
  text: string,
  wildcards: readonly Wildcard[],
  strictly: boolean,
): Pick<ShapeFault, 'kind' | 'words'> | undefined {
  const wildcard = wildcards.find((x) => allows(x, uri));
  if (!wildcard)
    return { kind: 'unknown', words: `the attribute ${local} of ${uri || 'no namespace'} may not stand here` };
  if (wildcard.process === 'skip') return undefined;
  const use = wildcard.schemas?.attributeNamed({ uri, local });
  if (!use)
    return strictly && wildcard.process === 'strict' && wildcard.schemas
      ? { kind: 'unknown', words: `the attribute ${local} of ${uri || 'no namespace'} is declared nowhere` }
      : undefined;
  const read = simpleCodec(use.type).read(text);
  return read instanceof Misfit ? { kind: 'type', words: read.words } : undefined;
}
