/** Percent-decoded (RFC 3986 §2.1); what cannot be decoded stays as it is. */
export function decoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}
