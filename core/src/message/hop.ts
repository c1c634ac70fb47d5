/** RFC 9110 §7.6.1: fields that belong to one hop only. */
const HOP = new Set([
  'connection',
  'keep-alive',
  'proxy-connection',
  'te',
  'trailer',
  'transfer-encoding',
  'upgrade',
  'host',
  'content-length',
  'expect',
]);

export const isHop = (name: string): boolean => HOP.has(name);

/** Names that the field Connection gives besides; undefined for the usual values, which name nothing (RFC 9110 §7.6.1). */
function namedHops(connection: string | undefined): ReadonlySet<string> | undefined {
  if (connection === undefined || connection === 'keep-alive' || connection === 'close') return undefined;
  return new Set(
    connection
      .toLowerCase()
      .split(',')
      .map((s) => s.trim()),
  );
}

/** Length of a body by its head; undefined where it ends by other means (RFC 9112 §6.3) or where it is no length. */
export function announced(headers: Readonly<Record<string, string>>): number | undefined {
  const length = headers['content-length'];
  return length === undefined || headers['transfer-encoding'] !== undefined || !/^\d{1,15}$/.test(length)
    ? undefined
    : Number(length);
}

export function endToEnd(headers: Readonly<Record<string, string>>): Record<string, string> {
  const out: Record<string, string> = {};
  const named = namedHops(headers.connection);
  for (const name in headers) if (!HOP.has(name) && !named?.has(name)) out[name] = headers[name]!;
  return out;
}

/** The same as a flat list of names and values, for whoever writes them; `extra`, such a list too, stands in the place of fields of its names. */
export function endToEndList(headers: Readonly<Record<string, string>>, extra: readonly string[]): string[] {
  const out: string[] = [];
  const named = namedHops(headers.connection);
  const isExtra = (name: string): boolean => {
    for (let i = 0; i < extra.length; i += 2) if (extra[i] === name) return true;
    return false;
  };
  for (const name in headers) {
    if (HOP.has(name) || named?.has(name) || isExtra(name)) continue;
    const value = headers[name]!;
    if (name === 'set-cookie' && value.includes('\n')) for (const one of value.split('\n')) out.push(name, one);
    else out.push(name, value);
  }
  for (const e of extra) out.push(e);
  return out;
}
