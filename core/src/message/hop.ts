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

export function endToEnd(headers: Readonly<Record<string, string>>): Record<string, string> {
  const out: Record<string, string> = {};
  const named = headers.connection
    ?.toLowerCase()
    .split(',')
    .map((s) => s.trim());
  for (const name in headers) if (!HOP.has(name) && !named?.includes(name)) out[name] = headers[name]!;
  return out;
}
