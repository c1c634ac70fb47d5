import { words } from '../words';

/** Names for people: WSDL operation names to verbs, nouns and paths. English rules; common practice, no standard. */

export { words };

export const kebab = (parts: readonly string[]): string => parts.join('-');

const IRREGULAR: Record<string, string> = {
  person: 'people',
  child: 'children',
  man: 'men',
  woman: 'women',
  foot: 'feet',
  tooth: 'teeth',
  mouse: 'mice',
};
const SAME = new Set([
  'information',
  'info',
  'data',
  'news',
  'series',
  'species',
  'status',
  'weather',
  'staff',
  'equipment',
  'cargo',
  'freight',
]);

export function plural(noun: string): string {
  if (SAME.has(noun)) return noun;
  if (IRREGULAR[noun]) return IRREGULAR[noun];
  if (isPlural(noun)) return noun;
  if (/[^aeiou]y$/.test(noun)) return `${noun.slice(0, -1)}ies`;
  if (/(s|x|z|ch|sh)$/.test(noun)) return `${noun}es`;
  return `${noun}s`;
}

function isPlural(noun: string): boolean {
  return /[^s]s$/.test(noun) && !/(us|is)$/.test(noun);
}

export type Intent = 'get' | 'find' | 'create' | 'change' | 'replace' | 'delete' | 'act';

const VERBS: Record<string, Intent> = {
  get: 'get',
  read: 'get',
  fetch: 'get',
  retrieve: 'get',
  load: 'get',
  lookup: 'get',
  show: 'get',
  query: 'find',
  find: 'find',
  search: 'find',
  list: 'find',
  browse: 'find',
  select: 'find',
  create: 'create',
  add: 'create',
  insert: 'create',
  register: 'create',
  reserve: 'create',
  book: 'create',
  place: 'create',
  submit: 'create',
  order: 'create',
  open: 'create',
  new: 'create',
  update: 'change',
  amend: 'change',
  modify: 'change',
  change: 'change',
  edit: 'change',
  patch: 'change',
  replace: 'replace',
  set: 'replace',
  put: 'replace',
  save: 'replace',
  delete: 'delete',
  remove: 'delete',
  cancel: 'delete',
  drop: 'delete',
  erase: 'delete',
};

/** Acts whose result has a noun of its own: ReserveBerth makes a reservation. */
const RESULTS: Record<string, string> = {
  reserve: 'reservation',
  book: 'booking',
  register: 'registration',
  order: 'order',
  submit: 'submission',
};

export interface Reading {
  readonly intent: Intent;
  readonly verb: string;
  /** Noun in the singular as given, in words; may be empty. */
  readonly noun: readonly string[];
  /** Words behind "by": GetBerthByCode. */
  readonly by: readonly string[];
  /** Noun that the act makes, where it has one. */
  readonly result?: string;
}

export function readName(name: string): Reading {
  const all = words(name);
  const intent = VERBS[all[0] ?? ''] ?? 'act';
  const rest = intent === 'act' ? all : all.slice(1);
  const at = rest.indexOf('by');
  const noun = (at > 0 ? rest.slice(0, at) : rest).filter((w) => w !== 'all');
  return { intent, verb: all[0] ?? '', noun, by: at > 0 ? rest.slice(at + 1) : [], result: RESULTS[all[0] ?? ''] };
}

export function pluralNoun(noun: readonly string[]): string {
  return kebab([...noun.slice(0, -1), plural(noun[noun.length - 1] ?? '')]);
}

export function singularWord(word: string): string {
  if (SAME.has(word)) return word;
  if (/ies$/.test(word)) return `${word.slice(0, -3)}y`;
  if (/(ses|xes|zes|ches|shes)$/.test(word)) return word.slice(0, -2);
  return isPlural(word) ? word.slice(0, -1) : word;
}
