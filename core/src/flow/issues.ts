import type { z } from 'zod';
import { insteadOf, nearest } from '../nearest';

/** A fault of the form of a document, in words. */
export interface FormFault {
  /** The key or item that is wrong; where something is missing, what should have it. */
  readonly path: readonly PropertyKey[];
  readonly words: string;
  readonly remedy?: string;
  /** The member that is missing at `path`. */
  readonly missing?: string;
  /** The member that was meant by a misspelled one. */
  readonly meant?: string;
}

const keyOf = (path: readonly PropertyKey[]): string => JSON.stringify(path.map(String));

type Issue = z.core.$ZodIssue;
type Schema = z.core.$ZodType;
type Def = z.core.$ZodTypeDef & {
  readonly innerType?: Schema;
  readonly getter?: () => Schema;
  readonly in?: Schema;
  readonly element?: Schema;
  readonly valueType?: Schema;
  readonly options?: readonly Schema[];
  readonly discriminator?: string;
  readonly shape?: Readonly<Record<string, Schema>>;
  readonly entries?: Readonly<Record<string, string | number>>;
  readonly values?: readonly unknown[];
};

const defOf = (schema: Schema): Def => schema._zod.def as Def;

/** The faults that a schema found in a value; never more than `most`. */
export function formFaults(error: z.core.$ZodError, schema: Schema, value: unknown, most: number): FormFault[] {
  const all = error.issues.flatMap((issue) => faultsOf(issue, [], schema, value));
  // A member that is misspelled is not missing as well.
  const meant = new Set(all.flatMap((f) => (f.meant === undefined ? [] : [keyOf([...f.path.slice(0, -1), f.meant])])));
  return all.filter((f) => f.missing === undefined || !meant.has(keyOf([...f.path, f.missing]))).slice(0, most);
}

function faultsOf(issue: Issue, base: readonly PropertyKey[], schema: Schema, value: unknown): FormFault[] {
  const path = [...base, ...issue.path];
  const at = valueAt(value, path);
  switch (issue.code) {
    case 'unrecognized_keys':
      return issue.keys.map((key) => unknownKey(key, path, schema, value));
    case 'invalid_type': {
      if (at !== undefined)
        return [{ path, words: `must be ${EXPECTED[issue.expected] ?? issue.expected}, and is ${kindOf(at)}` }];
      return [missing(path, schema, value)];
    }
    case 'invalid_value':
      if (at === undefined) return [missing(path, schema, value)];
      return [notOneOf(path, at, issue.values)];
    case 'invalid_union':
      return unionFaults(issue, path, schema, value);
    case 'invalid_key':
      return [{ path, words: `the name "${String(path.at(-1))}" ${issue.issues.map((i) => sizeWords(i)).join(', ')}` }];
    default:
      return [{ path, words: sizeWords(issue) }];
  }
}

function unknownKey(key: string, path: readonly PropertyKey[], schema: Schema, value: unknown): FormFault {
  const owner = valueAt(value, path);
  const given = owner !== null && typeof owner === 'object' ? Object.keys(owner) : [];
  const known = schemasAt(schema, path, value).flatMap((s) => Object.keys(defOf(s).shape ?? {}));
  // What stands here already is not what was meant.
  const open = [...new Set(known)].filter((k) => !given.includes(k));
  return {
    path: [...path, key],
    words: `there is no member "${key}" here`,
    remedy: insteadOf(key, open, 'Leave it out.'),
    meant: nearest(key, open),
  };
}

function missing(path: readonly PropertyKey[], schema: Schema, value: unknown): FormFault {
  const name = String(path.at(-1));
  const owner = path.slice(0, -1);
  const [found] = schemasAt(schema, path, value);
  const words = found && formWords(found);
  const what = {
    path: owner,
    words: `"${name}" is missing`,
    missing: name,
    ...(words && { remedy: `It is ${words}.` }),
  };
  const given = valueAt(value, owner);
  const known = given !== null && typeof given === 'object' ? Object.keys(given) : [];
  const meant = nearest(name, known);
  return meant === undefined ? what : { ...what, remedy: `Is "${meant}" meant for it?` };
}

function notOneOf(path: readonly PropertyKey[], given: unknown, values: readonly unknown[]): FormFault {
  const words = values.map(String);
  const list =
    words.length > 1
      ? `one of ${words.slice(0, 20).join(', ')}${words.length > 20 ? ', …' : ''}`
      : (words[0] ?? 'nothing');
  const near = typeof given === 'string' ? nearest(given, words) : undefined;
  return {
    path,
    words: `must be ${list}, and is ${typeof given === 'string' ? `"${given}"` : kindOf(given)}`,
    ...(near !== undefined && { remedy: `Write ${near}?` }),
  };
}

/** Of several forms the one that was meant: whose kind fits, with the fewest faults. */
function unionFaults(
  issue: Extract<Issue, { code: 'invalid_union' }>,
  path: readonly PropertyKey[],
  schema: Schema,
  value: unknown,
): FormFault[] {
  const at = valueAt(value, path);
  const by = (issue as { discriminator?: string }).discriminator;
  const options = schemasAt(schema, by !== undefined && path.at(-1) === by ? path.slice(0, -1) : path, value, true);
  if (by !== undefined && !issue.errors.length) {
    const names = options.flatMap((o) => literalsOf(defOf(o).shape?.[by]));
    const where = path.at(-1) === by ? path : [...path, by];
    const given = valueAt(value, where);
    return given === undefined
      ? [{ path: where.slice(0, -1), words: `"${by}" is missing`, remedy: `It is one of ${names.join(', ')}.` }]
      : [notOneOf(where, given, names)];
  }
  if (at === undefined) return [missing(path, schema, value)];
  const meant = issue.errors.filter(isOfItsKind).sort((a, b) => weight(a) - weight(b))[0];
  if (meant) return meant.flatMap((i) => faultsOf(i, path, schema, value));
  const forms = [...new Set(options.map(formWords))];
  const texts = options.flatMap(literalsOf);
  const near = typeof at === 'string' ? nearest(at, texts) : undefined;
  return [
    {
      path,
      words: `must be ${forms.join(', or ') || 'of another form'}, and is ${typeof at === 'string' ? `"${at.slice(0, 60)}"` : kindOf(at)}`,
      ...(near !== undefined && { remedy: `Write ${near}?` }),
    },
  ];
}

/** The value is of the kind that this form wants: a list, a mapping, a text; something in it is wrong. */
function isOfItsKind(errors: readonly Issue[]): boolean {
  return (
    errors.length > 0 &&
    errors.every(
      (e) =>
        e.path.length > 0 ||
        (e.code === 'invalid_union'
          ? e.errors.some(isOfItsKind) || (e as { discriminator?: string }).discriminator !== undefined
          : e.code !== 'invalid_type' && e.code !== 'invalid_value'),
    )
  );
}

/** Members that the form does not have say more against it than members that it lacks. */
const weight = (issues: readonly Issue[]): number =>
  issues.reduce((n, i) => n + (i.code === 'unrecognized_keys' ? 3 * i.keys.length : 1), 0);

function literalsOf(schema: Schema | undefined): string[] {
  if (!schema) return [];
  const def = defOf(schema);
  if (def.type === 'literal') return (def.values ?? []).map(String);
  if (def.type === 'enum') return Object.values(def.entries ?? {}).map(String);
  return [];
}

/** Schemas that stand for a place of a value; of unions those that fit what they are told apart by, else all. */
function schemasAt(root: Schema, path: readonly PropertyKey[], value: unknown, all = false): Schema[] {
  let now = expand(root, value, all && path.length === 0);
  let at = value;
  path.forEach((part, i) => {
    at = at !== null && typeof at === 'object' ? (at as Record<PropertyKey, unknown>)[part] : undefined;
    const last = i === path.length - 1;
    now = now.flatMap((s) => {
      const def = defOf(s);
      const next =
        def.type === 'object'
          ? def.shape?.[String(part)]
          : def.type === 'array'
            ? def.element
            : def.type === 'record'
              ? def.valueType
              : undefined;
      return next ? expand(next, at, all && last) : [];
    });
  });
  return now;
}

/** Without what is laid around it; a union as its members. */
function expand(schema: Schema, value: unknown, all: boolean): Schema[] {
  const def = defOf(schema);
  if (def.innerType) return expand(def.innerType, value, all);
  if (def.getter) return expand(def.getter(), value, all);
  if (def.type === 'pipe' && def.in) return expand(def.in, value, all);
  if (!def.options) return [schema];
  const by = def.discriminator;
  const given =
    by !== undefined && value !== null && typeof value === 'object'
      ? (value as Record<string, unknown>)[by]
      : undefined;
  if (given !== undefined && !all) {
    const fits = def.options.filter((o) => literalsOf(defOf(o).shape?.[by!]).includes(String(given)));
    if (fits.length) return fits.flatMap((o) => expand(o, value, all));
  }
  return def.options.flatMap((o) => expand(o, value, all));
}

/** What a schema wants, for a person. */
function formWords(schema: Schema): string {
  const def = defOf(schema);
  switch (def.type) {
    case 'string':
      return 'text';
    case 'number':
    case 'int':
      return 'a number';
    case 'boolean':
      return 'true or false';
    case 'array':
      return 'a list';
    case 'record':
      return 'a mapping of names';
    case 'enum':
    case 'literal': {
      const all = literalsOf(schema);
      return all.length > 1 ? `one of ${all.join(', ')}` : (all[0] ?? '');
    }
    case 'object': {
      const shape = def.shape ?? {};
      const needed = Object.keys(shape).filter((k) => shape[k]!._zod.optin !== 'optional');
      return needed.length
        ? `a mapping with ${needed.join(', ')}`
        : `a mapping of ${Object.keys(shape).slice(0, 6).join(', ')}`;
    }
    default:
      return defOf(schema).innerType ? formWords(defOf(schema).innerType!) : '';
  }
}

const EXPECTED: Readonly<Record<string, string>> = {
  string: 'text',
  number: 'a number',
  int: 'a whole number',
  boolean: 'true or false',
  array: 'a list',
  object: 'a mapping',
  record: 'a mapping',
};

const kindOf = (v: unknown): string =>
  v === null
    ? 'empty'
    : Array.isArray(v)
      ? 'a list'
      : typeof v === 'object'
        ? 'a mapping'
        : typeof v === 'string'
          ? `the text "${v.slice(0, 60)}"`
          : String(v);

/** Bounds in our words; rules that have words of their own keep them. */
function sizeWords(issue: Issue): string {
  const unit: Readonly<Record<string, string>> = { string: ' characters', array: ' items', set: ' items' };
  if (issue.code === 'too_small' && issue.message.startsWith('Too small'))
    return `must ${verb(issue.origin)} at least ${issue.minimum}${unit[issue.origin] ?? ''}`;
  if (issue.code === 'too_big' && issue.message.startsWith('Too big'))
    return `must ${verb(issue.origin)} at most ${issue.maximum}${unit[issue.origin] ?? ''}`;
  if (issue.code === 'invalid_format' && issue.message.startsWith('Invalid'))
    return `has not the form of ${issue.format === 'regex' ? `the pattern ${issue.pattern}` : issue.format}`;
  return issue.message;
}

const verb = (origin: string): string =>
  origin === 'string' || origin === 'array' || origin === 'set' ? 'have' : 'be';

function valueAt(value: unknown, path: readonly PropertyKey[]): unknown {
  let at = value;
  for (const part of path)
    at =
      at !== null && typeof at === 'object' && Object.hasOwn(at, part)
        ? (at as Record<PropertyKey, unknown>)[part]
        : undefined;
  return at;
}
