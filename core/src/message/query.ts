import { setMember } from './objects';

/** Nothing that form decoding (WHATWG URL §5.1) would change. */
const PLAIN = /^[A-Za-z0-9&=._~:/-]*$/;

/** Parameters of a query string with its "?"; one that comes several times is a list. */
export function queryValues(search: string): Record<string, string | string[]> {
  const out: Record<string, string | string[]> = {};
  if (search.length < 2) return out;
  const text = search.slice(1);
  if (!PLAIN.test(text)) {
    for (const [name, value] of new URLSearchParams(search)) add(out, name, value);
    return out;
  }
  for (const pair of text.split('&')) {
    if (pair === '') continue;
    const cut = pair.indexOf('=');
    if (cut < 0) add(out, pair, '');
    else add(out, pair.slice(0, cut), pair.slice(cut + 1));
  }
  return out;
}

function add(out: Record<string, string | string[]>, name: string, value: string): void {
  const have = Object.hasOwn(out, name) ? out[name] : undefined;
  if (have === undefined) setMember(out, name, value);
  else if (Array.isArray(have)) have.push(value);
  else setMember(out, name, [have, value]);
}
