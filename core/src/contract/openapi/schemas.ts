import { HingeError, type Finding, finding, type Place } from '../../problem';
import { expressionMatcher } from '../../pattern';
import { refTo, type JsonSchema, type TypeTable } from '../../schema';
import { isTree, type OpenApiSource, type Tree } from './source';

/** Keywords that are carried as they are. Others (xml, discriminator) are looked at one by one; what is unknown is dropped. */
const PLAIN = [
  'title',
  'description',
  'minItems',
  'maxItems',
  'uniqueItems',
  'enum',
  'const',
  'format',
  'pattern',
  'minLength',
  'maxLength',
  'minimum',
  'maximum',
  'exclusiveMinimum',
  'exclusiveMaximum',
  'multipleOf',
  'minProperties',
  'maxProperties',
  'default',
  'examples',
  'contentEncoding',
  'contentMediaType',
  'deprecated',
  'readOnly',
  'writeOnly',
  'required',
  'dependentRequired',
  'minContains',
  'maxContains',
] as const;
const LISTS = ['anyOf', 'oneOf', 'allOf', 'prefixItems'] as const;
const SINGLE = ['items', 'not', 'if', 'then', 'else', 'contains', 'propertyNames'] as const;
const MAPS = ['properties', 'patternProperties', 'dependentSchemas'] as const;
/** Schemas, or true and false. */
const OPEN = ['unevaluatedProperties', 'unevaluatedItems'] as const;
const MAX_DEPTH = 200;

/** Copies schemas of OpenAPI documents into one table of types; references between files become references into the table. */
export class SchemaReader {
  readonly types: TypeTable = {};
  readonly places: Record<string, Place> = {};
  readonly findings: Finding[] = [];
  private readonly names = new Map<string, string>();
  /** Where the named schema stands that is being read. */
  private here: Place | undefined;
  private readonly told = new Set<string>();
  /** Schemas of the entry that others extend and that name a discriminator, by their name. */
  private families: ReadonlyMap<string, readonly string[]> = new Map();

  constructor(private readonly source: OpenApiSource) {}

  /** Every schema of the entry's components keeps its name, before others take it. */
  reserve(components: Tree): void {
    for (const name of Object.keys(components))
      this.nameFor(this.source.entry.file, `/components/schemas/${name}`, name);
    this.families = familiesOf(components);
  }

  /** `part`: of an allOf, where a schema that has forms is meant without them. */
  read(value: unknown, file: string, depth = 0, part = false): JsonSchema {
    if (value === true || value === undefined) return {};
    if (value === false) return { not: {} };
    if (!isTree(value)) return {};
    if (depth > MAX_DEPTH) throw new HingeError('HNG-103', `schemas are nested deeper than ${MAX_DEPTH}`, { file });
    const sole = depth > 0 ? soleOf(value) : undefined;
    if (sole !== undefined) {
      const inner = this.read(sole, file, depth + 1);
      for (const key of BESIDE) if (value[key] !== undefined) (inner as Record<string, unknown>)[key] = value[key];
      if (value.example !== undefined) inner.examples = [value.example];
      return isNullable(value) ? orNull(inner) : inner;
    }
    const out: JsonSchema = {};
    if (typeof value.$ref === 'string') Object.assign(out, this.reference(value.$ref, file, depth, part));
    for (const key of PLAIN) if (value[key] !== undefined) (out as Record<string, unknown>)[key] = value[key];
    this.types_(value, out);
    for (const key of SINGLE)
      if (value[key] !== undefined) (out as Record<string, unknown>)[key] = this.read(value[key], file, depth + 1);
    for (const key of LISTS) {
      const list = value[key];
      if (Array.isArray(list))
        (out as Record<string, unknown>)[key] = list.map((s) => this.read(s, file, depth + 1, key === 'allOf'));
    }
    for (const key of MAPS) {
      const map = value[key];
      if (isTree(map))
        (out as Record<string, unknown>)[key] = Object.fromEntries(
          Object.entries(map).map(([n, s]) => [n, this.read(s, file, depth + 1)]),
        );
    }
    if (typeof value.additionalProperties === 'boolean') out.additionalProperties = value.additionalProperties;
    else if (isTree(value.additionalProperties))
      out.additionalProperties = this.read(value.additionalProperties, file, depth + 1);
    for (const key of OPEN)
      if (value[key] !== undefined)
        out[key] = typeof value[key] === 'boolean' ? value[key] : this.read(value[key], file, depth + 1);
    for (const p of [out.pattern, ...Object.keys(out.patternProperties ?? {})]) this.checkPattern(p, file);
    if (isTree(value.xml)) out.xml = value.xml as JsonSchema['xml'];
    // In 2.0 it is the name alone.
    const told = typeof value.discriminator === 'string' ? { propertyName: value.discriminator } : value.discriminator;
    if (isTree(told)) this.discriminator(told, out, file, depth);
    return isNullable(value) ? orNull(out) : out;
  }

  /** `type`, with what 3.0 fragments in other files still say: nullable, exclusive bounds as true, one example. */
  private types_(value: Tree, out: JsonSchema): void {
    const type = value.type;
    if (typeof type === 'string' || Array.isArray(type)) out.type = type as JsonSchema['type'];
    if (value.type === 'file' || (value.contentMediaType === 'application/octet-stream' && value.type === undefined)) {
      out.type = 'string';
      out.format = 'binary';
      delete out.contentMediaType;
    }
    if (isNullable(value)) {
      if (typeof out.type === 'string' && out.type !== 'null') out.type = [out.type, 'null'];
      if (out.enum && !out.enum.includes(null)) out.enum = [...out.enum, null];
    }
    if ((out.exclusiveMinimum as unknown) === true) {
      out.exclusiveMinimum = out.minimum;
      delete out.minimum;
    } else if ((out.exclusiveMinimum as unknown) === false) delete out.exclusiveMinimum;
    if ((out.exclusiveMaximum as unknown) === true) {
      out.exclusiveMaximum = out.maximum;
      delete out.maximum;
    } else if ((out.exclusiveMaximum as unknown) === false) delete out.exclusiveMaximum;
    if (value.example !== undefined && !out.examples) out.examples = [value.example];
    if (out.examples && !Array.isArray(out.examples)) delete out.examples;
  }

  /** JSON Schema Validation §6.3.3: a regular expression of ECMA-262. One that is none holds nothing. */
  private checkPattern(pattern: unknown, file: string): void {
    if (pattern === undefined || (typeof pattern === 'string' && expressionMatcher(pattern))) return;
    const words = String(pattern).slice(0, 80);
    if (this.told.has(words)) return;
    this.told.add(words);
    this.findings.push(
      finding('HNG-119', `the pattern ${words} is no regular expression of ECMA-262`, this.here ?? { file }),
    );
  }

  private discriminator(d: Tree, out: JsonSchema, file: string, depth: number): void {
    if (typeof d.propertyName !== 'string') return;
    const mapping: Record<string, string> = {};
    for (const [value, target] of Object.entries(isTree(d.mapping) ? d.mapping : {})) {
      if (typeof target !== 'string') continue;
      // A mapping may name a schema without a path (§4.8.25).
      const ref = /[#/.]/.test(target) ? target : `#/components/schemas/${target}`;
      const to = this.reference(ref, file, depth, true).$ref;
      if (to !== undefined) mapping[value] = to;
    }
    for (const option of out.oneOf ?? out.anyOf ?? []) {
      const ref = option.$ref;
      if (ref && !Object.values(mapping).includes(ref))
        mapping[decodeURIComponent(ref.slice(ref.lastIndexOf('/') + 1))] = ref;
    }
    out.discriminator = { propertyName: d.propertyName, ...(Object.keys(mapping).length && { mapping }) };
  }

  /**
   * One of the schemas that extend a base with a discriminator, or the base: what a reference to it means (3.1 §4.8.25, "models that extend
   * the parent"). A type of its own, since those that extend the base refer to it.
   */
  private family(base: string, children: readonly string[], file: string, depth: number): JsonSchema {
    const at = `/x-forms/${base}`;
    const name =
      this.names.get(`${this.source.entry.file}#${at}`) ?? this.nameFor(this.source.entry.file, at, `Any${base}`);
    if (!this.types[name]) {
      const target: JsonSchema = (this.types[name] = {});
      const refs = [...children, base].map(
        (n) => [n, this.reference(`#/components/schemas/${n}`, file, depth, true)] as const,
      );
      const root = this.types[this.names.get(`${this.source.entry.file}#/components/schemas/${base}`)!]!;
      const { propertyName, mapping = {} } = root.discriminator!;
      const named = new Set(Object.values(mapping));
      const rest = refs.filter(([, r]) => !named.has(r.$ref!)).map(([n, r]) => [n, r.$ref!]);
      Object.assign(target, {
        ...(root.description !== undefined && { description: root.description }),
        ...(root.xml && { xml: root.xml }),
        oneOf: refs.map(([, r]) => r),
        discriminator: { propertyName, mapping: { ...mapping, ...Object.fromEntries(rest) } },
      });
      this.places[name] = this.source.placeOf(this.source.entry.file, ['components', 'schemas', base]);
    }
    return refTo(name);
  }

  private reference(ref: string, file: string, depth: number, part = false): JsonSchema {
    const found = this.found(ref, file);
    if (!found) return {};
    const base = /^\/components\/schemas\/([^/]+)$/.exec(found.pointer)?.[1];
    const children = found.file === this.source.entry.file && base !== undefined ? this.families.get(base) : undefined;
    if (children && !part) return this.family(base!, children, found.file, depth);
    const known = this.names.get(`${found.file}#${found.pointer}`);
    const hint =
      decodeURIComponent(found.pointer.split('/').pop() ?? '') ||
      found.file.replace(/^.*\//, '').replace(/\.[^.]*$/, '');
    const name = known ?? this.nameFor(found.file, found.pointer, hint);
    if (!this.types[name]) {
      // The entry stands before its content is read: schemas are cyclic.
      const target: JsonSchema = {};
      this.types[name] = target;
      const path = found.pointer.split('/').slice(1);
      const around = this.here;
      this.here = this.places[name] = this.source.placeOf(found.file, path);
      Object.assign(target, this.read(found.value, found.file, depth > MAX_DEPTH / 2 ? depth : 0));
      this.here = around;
    }
    return refTo(name);
  }

  /** Where a reference leads; one that leads to nothing may be anything, which is told. A file that was not given is asked for. */
  private found(ref: string, file: string): ReturnType<OpenApiSource['resolve']> | undefined {
    try {
      return this.source.resolve(ref, file);
    } catch (error) {
      if (!(error instanceof HingeError) || error.finding.code !== 'HNG-115') throw error;
      const { message, place } = error.finding;
      if (!this.told.has(ref))
        this.findings.push(finding('HNG-128', `${message}; it may be anything`, place, 'Declare the schema.'));
      this.told.add(ref);
      return undefined;
    }
  }

  private nameFor(file: string, pointer: string, hint: string): string {
    const clean = hint.replace(/[^A-Za-z0-9._-]/g, '_') || 'Type';
    const taken = new Set(this.names.values());
    let name = clean;
    for (let n = 2; taken.has(name); n++) name = `${clean}${n}`;
    this.names.set(`${file}#${pointer}`, name);
    if (name !== hint && file === this.source.entry.file)
      this.findings.push(
        finding(
          'HNG-123',
          `the schema ${hint} is called ${name} here`,
          this.source.placeOf(file, pointer.split('/').slice(1)),
        ),
      );
    return name;
  }
}

const isNullable = (value: Tree): boolean => value.nullable === true || value['x-nullable'] === true;

/** The one schema that another wraps only to say something beside it: `allOf` or a choice of one. */
function soleOf(value: Tree): unknown {
  const key = (['allOf', 'oneOf', 'anyOf'] as const).find((k) => value[k] !== undefined);
  const list = key && value[key];
  if (!Array.isArray(list) || list.length !== 1 || !isTree(list[0])) return undefined;
  const beside = (k: string) =>
    k === key || k === 'nullable' || k === 'example' || k.startsWith('x-') || (BESIDE as readonly string[]).includes(k);
  return Object.keys(value).every(beside) ? list[0] : undefined;
}

/** What describes a member, and not its value. */
const BESIDE = ['title', 'description', 'default', 'examples', 'deprecated', 'readOnly', 'writeOnly', 'xml'] as const;

/**
 * A schema of 3.0 without a type of its own that may be null: by the letter nothing (3.0.3 §4.7.24.1 lets `nullable` only widen the `type` beside it), but what is
 * meant wherever it stands beside `$ref`, `allOf` or a choice (common practice).
 */
function orNull(s: JsonSchema): JsonSchema {
  if (typeof s.type === 'string' && s.type !== 'null')
    return {
      ...s,
      type: [s.type, 'null'],
      ...(s.enum && !s.enum.includes(null) && { enum: [...s.enum, null] }),
    };
  if (s.type !== undefined || !(s.$ref ?? s.allOf ?? s.oneOf ?? s.anyOf)) return s;
  const beside: JsonSchema = {};
  const own: JsonSchema = { ...s };
  for (const key of BESIDE)
    if (s[key] !== undefined) {
      (beside as Record<string, unknown>)[key] = s[key];
      delete own[key];
    }
  const only = Object.keys(own).length === 1 && own.allOf?.length === 1 ? own.allOf[0]! : own;
  return { ...beside, anyOf: [only, { type: 'null' }] };
}

/** For each schema with a discriminator and no forms of its own: the schemas that extend it by allOf, also over others, in order. */
function familiesOf(components: Tree): Map<string, string[]> {
  const parents = (value: unknown): string[] =>
    isTree(value) && Array.isArray(value.allOf)
      ? value.allOf.flatMap((p: unknown) => {
          const ref = isTree(p) && typeof p.$ref === 'string' ? p.$ref : '';
          return ref.startsWith('#/components/schemas/') ? [ref.slice('#/components/schemas/'.length)] : [];
        })
      : [];
  const extend = (name: string, base: string, seen: ReadonlySet<string>): boolean =>
    parents(components[name]).some(
      (p) => p === base || (p in components && !seen.has(p) && extend(p, base, new Set([...seen, p]))),
    );
  const families = new Map<string, string[]>();
  for (const [base, value] of Object.entries(components)) {
    if (!isTree(value) || !value.discriminator || value.oneOf !== undefined || value.anyOf !== undefined) continue;
    const children = Object.keys(components).filter((n) => n !== base && extend(n, base, new Set([n])));
    if (children.length) families.set(base, children);
  }
  return families;
}
