import type { InputFault } from '../problem';
import type { TopicRef } from './ports';

/**
 * Topics with parameters. `{name}` in an address stands for a part of it, so that one topic of a document is as many at the broker as there are values.
 * A reference with all of them given is one topic, for publishing and listening; one with some left open is a filter, for listening and consuming alone.
 */
export interface TopicFamily {
  /** The address with its parameters. */
  readonly template: string;
  readonly names: readonly string[];
  /** Values that a parameter may have, where only some are meant. */
  readonly allowed: Readonly<Record<string, readonly string[] | undefined>>;
  readonly given: Readonly<Record<string, string>>;
  /** Some are open: the address is a filter of the broker. */
  readonly open: boolean;
  /** What parts an address: "/" in MQTT and within the gateway, "." in NATS. */
  readonly separator: '/' | '.';
}

const PARAMETER = /\{([A-Za-z0-9_-]{1,100})\}/g;
const MOST_CHARACTERS = 200;

/** Names of the parameters in an address or a path, each once, in their order. */
export const parameterNames = (template: string): string[] => [
  ...new Set([...template.matchAll(PARAMETER)].map((m) => m[1]!)),
];

/** What is left of an address when its parameters are taken out: for whoever judges its other characters. */
export const withoutParameters = (template: string): string => template.replace(PARAMETER, 'x');

/** The same topic with these parameters given; the others are open. What is given must have been looked at by `valueFault`. */
export function refWith(ref: TopicRef, given: Readonly<Record<string, string>>): TopicRef {
  const { family } = ref;
  if (!family) return ref;
  const open = family.names.some((n) => given[n] === undefined);
  return { ...ref, address: addressOf(family, given), family: { ...family, given, open } };
}

/** Address of one topic, or a filter where parameters are open: a part that holds an open one is any part (MQTT 5.0 §4.7.1.3, a token of NATS). */
export function addressOf(
  { template, separator }: Pick<TopicFamily, 'template' | 'separator'>,
  given: Readonly<Record<string, string>>,
): string {
  const any = separator === '.' ? '*' : '+';
  return template
    .split(separator)
    .map((part) => {
      let open = false;
      const filled = part.replace(PARAMETER, (_, name: string) => {
        open ||= given[name] === undefined;
        return given[name] ?? '';
      });
      return open ? any : filled;
    })
    .join(separator);
}

const readers = new Map<string, { readonly names: readonly string[]; readonly pattern: RegExp }>();

/** The parameters that an address was made of; undefined where it is none of these, or has others than those given. */
export function readAddress(family: TopicFamily, address: string): Record<string, string> | undefined {
  const { template, separator, given } = family;
  let reader = readers.get(template);
  if (!reader) {
    const names: string[] = [];
    const source = template.split(PARAMETER).map((text, n) => {
      if (n % 2 === 0) return text.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&');
      const before = names.indexOf(text);
      if (before >= 0) return `\\${before + 1}`;
      names.push(text);
      return separator === '.' ? '([^.]+?)' : '([^/]+?)';
    });
    if (readers.size >= 10_000) readers.clear();
    readers.set(template, (reader = { names, pattern: new RegExp(`^${source.join('')}$`, 's') }));
  }
  const found = reader.pattern.exec(address);
  if (!found) return undefined;
  const values = Object.fromEntries(reader.names.map((name, n) => [name, found[n + 1]!]));
  return Object.entries(given).every(([n, v]) => values[n] === v) ? values : undefined;
}

/** The topic by the address of an event that came by a filter. */
export function refAt(ref: TopicRef, address: string | undefined): TopicRef {
  if (!ref.family?.open || address === undefined) return ref;
  const values = readAddress(ref.family, address);
  return values ? refWith(ref, values) : ref;
}

/**
 * Why a text cannot be the value of a parameter: it must stay one part of the address, mean no filter, and lead to nothing that the broker keeps for itself
 * (MQTT 5.0 §4.7.2: what begins with $).
 */
export function valueFault(family: TopicFamily, name: string, value: unknown): InputFault | undefined {
  const wrong = (code: string, detail: string): InputFault => ({ pointer: '', parameter: name, code, detail });
  if (value === undefined || value === null || value === '') return wrong('required', 'is needed');
  const text = typeof value === 'string' ? value : String(value as number);
  if (typeof value === 'object' || text.length > MOST_CHARACTERS)
    return wrong('type', `must be a text of at most ${MOST_CHARACTERS} characters`);
  const allowed = family.allowed[name];
  if (allowed && !allowed.includes(text)) return wrong('enum', `must be one of ${listed(allowed)}`);
  // In a path it means that the parameter is open.
  if (text === '*') return wrong('pattern', 'must not be *');
  const nats = family.separator === '.';
  // eslint-disable-next-line no-control-regex -- MQTT 5.0 §1.5.4 and NATS take none
  if (nats ? /[.*>\s\u0000-\u001f\u007f]/.test(text) : /[/+#\u0000-\u001f\u007f]/.test(text))
    return wrong('pattern', nats ? 'must hold no dot, no space, no * and no >' : 'must hold no /, no + and no #');
  if (/^(\$|_INBOX)/.test(text) && family.template.startsWith(`{${name}}`))
    return wrong('pattern', 'must not begin with what the broker keeps for itself');
  return undefined;
}

/** Values as an event names what it is about. */
export const valueWords = ({ names, given }: TopicFamily): string =>
  names.flatMap((n) => (given[n] === undefined ? [] : [given[n]])).join('/');

/** A path with its parameters as they are sent; `*` for one that is open. */
export const pathWith = (path: string, values: Readonly<Record<string, string | undefined>>): string =>
  path.replace(PARAMETER, (_, name: string) => encodeURIComponent(values[name] || '*'));

const listed = (all: readonly string[]): string =>
  all.length > 12 ? `${all.slice(0, 12).join(', ')} and ${all.length - 12} more` : all.join(', ');
