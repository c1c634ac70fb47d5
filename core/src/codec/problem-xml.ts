import { Digits } from '../message/digits';
import { escapeText, isXmlName } from '../xml';

/** A problem document as application/problem+xml (RFC 9457 appendix B): namespace urn:ietf:rfc:7807, items of lists are `i`. */
export function problemXml(problem: unknown): string {
  return `<?xml version="1.0" encoding="UTF-8"?>\n<problem xmlns="urn:ietf:rfc:7807">${content(problem)}</problem>`;
}

function content(value: unknown): string {
  if (value === null || value === undefined) return '';
  if (value instanceof Digits) return value.text;
  if (Array.isArray(value)) return value.map((v) => `<i>${content(v)}</i>`).join('');
  if (typeof value !== 'object') return escapeText(String(value as string));
  return Object.entries(value)
    .filter(([name, v]) => v !== undefined && isXmlName(name) && !name.includes(':'))
    .map(([name, v]) => `<${name}>${content(v)}</${name}>`)
    .join('');
}
