/** Bytes as characters of the same numbers. */
export function latin1(bytes: Uint8Array): string {
  const out: string[] = [];
  for (let i = 0; i < bytes.length; i += 8192) out.push(String.fromCharCode(...bytes.subarray(i, i + 8192)));
  return out.join('');
}

export function fromLatin1(text: string): Uint8Array {
  const out = new Uint8Array(text.length);
  for (let i = 0; i < text.length; i++) out[i] = text.charCodeAt(i);
  return out;
}
