import { SOAP_ENVELOPE } from '../contract';
import { escapeText, OPEN, XmlError, XmlScanner } from '../xml';

const OASIS = 'http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-';
const WSSE = `${OASIS}wssecurity-secext-1.0.xsd`;
const WSU = `${OASIS}wssecurity-utility-1.0.xsd`;
const PROFILE = `${OASIS}username-token-profile-1.0`;
const BASE64 = `${OASIS}soap-message-security-1.0#Base64Binary`;

const SOAP_NAMESPACES: readonly string[] = Object.values(SOAP_ENVELOPE);

export interface UsernameToken {
  readonly user: string;
  readonly password: string;
  readonly digest?: boolean;
}

/** `wsse:Security` with a UsernameToken (WSS UsernameToken Profile 1.1.1 §3.1); names and URIs from memory of that text. */
async function securityHeader({ user, password, digest }: UsernameToken, envelope: string, now: Date): Promise<string> {
  let proof = `<wsse:Password Type="${PROFILE}#PasswordText">${escapeText(password)}</wsse:Password>`;
  if (digest) {
    const nonce = crypto.getRandomValues(new Uint8Array(16));
    const created = now.toISOString();
    // Password_Digest = Base64(SHA-1(nonce + created + password))
    const told = new TextEncoder().encode(created + password);
    const all = new Uint8Array(nonce.length + told.length);
    all.set(nonce);
    all.set(told, nonce.length);
    const hash = base64(new Uint8Array(await crypto.subtle.digest('SHA-1', all)));
    proof =
      `<wsse:Password Type="${PROFILE}#PasswordDigest">${hash}</wsse:Password>` +
      `<wsse:Nonce EncodingType="${BASE64}">${base64(nonce)}</wsse:Nonce><wsu:Created>${created}</wsu:Created>`;
  }
  return (
    `<wsse:Security xmlns:wsse="${WSSE}" xmlns:wsu="${WSU}" xmlns:env="${envelope}" env:mustUnderstand="1">` +
    `<wsse:UsernameToken><wsse:Username>${escapeText(user)}</wsse:Username>${proof}</wsse:UsernameToken></wsse:Security>`
  );
}

const base64 = (bytes: Uint8Array): string => btoa(String.fromCharCode(...bytes));

/** The envelope with the token in its header, which is made where there is none; undefined where the text is no envelope. */
export async function withUsernameToken(
  envelope: string,
  token: UsernameToken,
  now = new Date(),
): Promise<string | undefined> {
  const place = headerPlace(envelope);
  if (!place) return undefined;
  const { text, from, to, prefix, uri, header } = place;
  const security = await securityHeader(token, uri, now);
  const inside = header === 'open' ? security : `<${prefix}Header>${security}</${prefix}Header>`;
  return text.slice(0, from) + inside + text.slice(to);
}

interface HeaderPlace {
  readonly text: string;
  /** What stands from here to there gives way. */
  readonly from: number;
  readonly to: number;
  /** Of the envelope, with its colon. */
  readonly prefix: string;
  readonly uri: string;
  readonly header: 'open' | 'empty' | 'absent';
}

function headerPlace(xml: string): HeaderPlace | undefined {
  try {
    const s = new XmlScanner(xml);
    if (s.next() !== OPEN) return undefined;
    const envelope = s.name;
    if (envelope.local !== 'Envelope' || !SOAP_NAMESPACES.includes(envelope.uri)) return undefined;
    const prefix = envelope.prefix === '' ? '' : `${envelope.prefix}:`;
    while (s.next() !== OPEN);
    const { local, uri } = s.name;
    const tag = s.since(s.at);
    const text = s.source;
    if (local !== 'Header' || !SOAP_NAMESPACES.includes(uri))
      return { text, from: s.at, to: s.at, prefix, uri: envelope.uri, header: 'absent' };
    const end = s.at + tag.length;
    return tag.endsWith('/>')
      ? { text, from: s.at, to: end, prefix, uri: envelope.uri, header: 'empty' }
      : { text, from: end, to: end, prefix, uri: envelope.uri, header: 'open' };
  } catch (error) {
    if (error instanceof XmlError) return undefined;
    throw error;
  }
}
