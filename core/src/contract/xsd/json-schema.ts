import type { Place } from '../../problem';
import { refTo, XSD_SAMPLES, type JsonSchema, type TypeTable } from '../../schema';
import { bindingOf, isPolymorphic, TYPE_PROPERTY, variantsOf, type ElementProperty, type Variant } from './binding';
import { jsonKind } from './builtins';
import {
  XSD,
  type ComplexType,
  type ElementDecl,
  type Facets,
  type Particle,
  type SimpleType,
  type Type,
} from './components';
import { lexicalForm } from './lexical';
import { expressionMatcher, patternToRegExp } from '../../pattern';

/** Writes XSD types as JSON Schema, exactly as the codec reads and writes them. Named complex types become entries of `types`. */
export class SchemaWriter {
  readonly types: TypeTable = {};
  /** Where each type stands in its document. */
  readonly places: Record<string, Place> = {};
  private readonly names = new Map<Type, string>();
  private readonly unions = new Map<ElementDecl, string>();
  /** Names of types in the order in which they were made. */
  private readonly made: string[] = [];

  /** Gives what forgets all that was written since: some of it may stand half. */
  mark(): () => void {
    const [types, names, unions] = [this.made.length, this.names.size, this.unions.size];
    return () => {
      for (const name of this.made.splice(types)) {
        delete this.types[name];
        delete this.places[name];
      }
      for (const type of [...this.names.keys()].slice(names)) this.names.delete(type);
      for (const decl of [...this.unions.keys()].slice(unions)) this.unions.delete(decl);
    };
  }

  /** Schema of the content of an element: its children as properties. */
  ofElement(decl: ElementDecl): JsonSchema {
    if (decl.type.kind === 'complex' && isPolymorphic(decl)) return this.union(decl);
    return this.ofContent(decl.type, decl.name);
  }

  /** Content of a message element: always an object, simple content as `value`. */
  ofContent(type: Type, name: string): JsonSchema {
    if (type.kind === 'simple') {
      return {
        type: 'object',
        properties: { value: this.ofSimple(type) },
        required: ['value'],
        additionalProperties: false,
      };
    }
    return this.ofComplex(type, name);
  }

  private ofType(type: Type, hint: string): JsonSchema {
    return type.kind === 'simple' ? this.ofSimple(type) : this.ofComplex(type, hint);
  }

  private ofComplex(type: ComplexType, hint: string): JsonSchema {
    const known = this.names.get(type);
    if (known) return refTo(known);
    if (type.name?.uri === XSD) return {};
    const name = this.freeName(type.name?.local ?? upper(hint));
    this.names.set(type, name);
    const schema: JsonSchema = {};
    this.types[name] = schema;
    this.places[name] = type.place;
    Object.assign(schema, this.body(type));
    return refTo(name);
  }

  /**
   * One of several forms, told apart by `$type` (OpenAPI's discriminator). The element as declared needs no `$type`; a derived type or a
   * substitute says its name.
   */
  private union(decl: ElementDecl): JsonSchema {
    const known = this.unions.get(decl);
    if (known) return refTo(known);
    const name = this.freeName(
      `Any${upper(decl.type.name && decl.type.name.uri !== XSD ? decl.type.name.local : decl.name)}`,
    );
    this.unions.set(decl, name);
    const schema: JsonSchema = {};
    this.types[name] = schema;
    const mapping: Record<string, string> = {};
    schema.oneOf = variantsOf(decl).map((v) => {
      if (v.type === undefined) return this.ofType(v.content, decl.name);
      const made = this.freeName(
        v.type.replace('/', '.') === v.content.name?.local ? `${v.type}Variant` : v.type.replace('/', '.'),
      );
      this.types[made] = {};
      Object.assign(this.types[made]!, this.variant(v, v.type));
      mapping[v.type] = refTo(made).$ref!;
      return refTo(made);
    });
    schema.discriminator = { propertyName: TYPE_PROPERTY, mapping };
    return refTo(name);
  }

  private variant(v: Variant, type: string): JsonSchema {
    const name: JsonSchema = { type: 'string', const: type };
    if (v.content.kind === 'simple' || v.content.name?.uri === XSD) {
      return {
        type: 'object',
        properties: { [TYPE_PROPERTY]: name, value: v.content.kind === 'simple' ? this.ofSimple(v.content) : {} },
        required: [TYPE_PROPERTY, 'value'],
        additionalProperties: false,
      };
    }
    const body = this.body(v.content);
    return {
      ...body,
      properties: { [TYPE_PROPERTY]: name, ...body.properties },
      required: [TYPE_PROPERTY, ...(body.required ?? [])],
    };
  }

  private freeName(wanted: string): string {
    const clean = wanted.replace(/[^A-Za-z0-9._-]/g, '_');
    let name = clean;
    for (let n = 2; this.types[name]; n++) name = `${clean}${n}`;
    this.made.push(name);
    return name;
  }

  private body(type: ComplexType): JsonSchema {
    const b = bindingOf(type);
    const properties: Record<string, JsonSchema> = {};
    const required: string[] = [];
    for (const p of b.properties) {
      if (p.kind === 'element') {
        properties[p.json] = this.ofProperty(p);
        if (p.min > 0) required.push(p.json);
      } else if (p.kind === 'attribute') {
        properties[p.json] = withDoc(this.ofSimple(p.use.type), p.use.doc, {
          name: p.use.name,
          attribute: true,
          ...(p.use.uri && { namespace: p.use.uri }),
        });
        if (p.use.required) required.push(p.json);
      } else if (p.kind === 'text') {
        properties[p.json] = this.ofSimple(p.type);
        required.push(p.json);
      } else properties[p.json] = this.open(type, p.kind);
    }
    const schema: JsonSchema = { type: 'object' };
    if (type.doc) schema.description = type.doc;
    schema.properties = properties;
    if (required.length) schema.required = required;
    schema.additionalProperties = false;
    const choices = b.particle ? choiceRules(b.particle) : [];
    if (choices.length === 1) schema.oneOf = choices[0];
    else if (choices.length > 1) schema.allOf = choices.map((oneOf) => ({ oneOf }));
    return schema;
  }

  private open(type: ComplexType, kind: 'any' | 'attributes' | 'mixed'): JsonSchema {
    if (kind === 'attributes')
      return {
        type: 'object',
        description: 'Attributes that the schema leaves open, by name or {namespace}name',
        additionalProperties: { type: 'string' },
      };
    const one: JsonSchema = { type: 'object', minProperties: 1, maxProperties: 1 };
    if (kind === 'any')
      return {
        type: 'array',
        description: 'Elements that the schema leaves open, each an object of one member',
        items: one,
      };
    const b = bindingOf(type);
    const properties: Record<string, JsonSchema> = {};
    for (const p of b.byElement.values()) properties[p.json] = this.occurrence(p);
    if (b.wildcards.length) properties.$any = one;
    const element: JsonSchema = { ...one, properties, additionalProperties: false };
    return {
      type: 'array',
      description: 'Text and elements in their order',
      items: Object.keys(properties).length ? { anyOf: [{ type: 'string' }, element] } : { type: 'string' },
    };
  }

  /** One element of a property, not the list of them. */
  private occurrence(p: ElementProperty): JsonSchema {
    const xml = { name: p.decl.name, ...(p.decl.uri && { namespace: p.decl.uri }) };
    if (!p.wrapped) return withDoc(this.one(p.decl), p.decl.doc, xml);
    return { type: 'array', items: this.itemOf(p.wrapped), ...counts(p.wrapped), xml: { ...xml, wrapped: true } };
  }

  private ofProperty(p: ElementProperty): JsonSchema {
    const xml = { name: p.decl.name, ...(p.decl.uri && { namespace: p.decl.uri }) };
    if (p.many) return withDoc({ type: 'array', items: this.one(p.decl), ...counts(p) }, p.decl.doc, xml);
    const item = p.wrapped;
    if (item) {
      return withDoc({ type: 'array', items: this.itemOf(item), ...counts(item) }, p.decl.doc ?? item.decl.doc, {
        ...xml,
        wrapped: true,
      });
    }
    return withDoc(this.one(p.decl), p.decl.doc, xml);
  }

  private itemOf(item: ElementProperty): JsonSchema {
    return {
      ...wrapRef(this.one(item.decl)),
      xml: { name: item.decl.name, ...(item.decl.uri && { namespace: item.decl.uri }) },
    };
  }

  private one(decl: ElementDecl): JsonSchema {
    const schema = isPolymorphic(decl) ? this.union(decl) : this.ofType(decl.type, decl.name);
    return decl.nillable ? nullable(schema) : schema;
  }

  ofSimple(type: SimpleType): JsonSchema {
    if (type.variety === 'list') return { type: 'array', items: this.ofSimple(type.item!), ...listCounts(type.facets) };
    if (type.variety === 'union') return { anyOf: dedupe(type.members!.map((m) => this.ofSimple(m))) };
    const schema = atomic(type);
    if (type.doc) schema.description = type.doc;
    return schema;
  }
}

function atomic(type: SimpleType): JsonSchema {
  const f = type.facets;
  const kind = jsonKind(type.builtin);
  if (kind === 'boolean') return { type: 'boolean' };
  if (kind === 'string') return stringSchema(type);
  const number: JsonSchema = { type: kind === 'integer' ? 'integer' : 'number' };
  if (type.builtin === 'int' || (kind === 'integer' && type.builtin === 'short')) number.format = 'int32';
  else if (type.builtin === 'long') number.format = 'int64';
  else if (type.builtin === 'double' || type.builtin === 'float') number.format = type.builtin;
  const bounds = [
    ['minInclusive', 'minimum'],
    ['maxInclusive', 'maximum'],
    ['minExclusive', 'exclusiveMinimum'],
    ['maxExclusive', 'exclusiveMaximum'],
  ] as const;
  for (const [facet, keyword] of bounds) {
    // A bound that a double cannot hold would judge wrongly; format int64 says the same.
    if (f[facet] !== undefined && Number.isSafeInteger(Math.trunc(Number(f[facet]))))
      number[keyword] = Number(f[facet]);
  }
  if (f.enumeration) number.enum = f.enumeration.map(Number);
  if (kind === 'float') return { anyOf: [number, { type: 'string', enum: ['INF', '-INF', 'NaN'] }] };
  return number;
}

/** Types without a JSON Schema format that means the same: an xs:dateTime may lack the offset that RFC 3339 demands. */
const TITLED = new Set([
  'dateTime',
  'date',
  'time',
  'duration',
  'gYear',
  'gYearMonth',
  'gMonthDay',
  'gDay',
  'gMonth',
  'hexBinary',
  'anyURI',
  'language',
]);

function stringSchema(type: SimpleType): JsonSchema {
  const f = type.facets;
  const schema: JsonSchema = { type: 'string' };
  if (f.enumeration) schema.enum = [...f.enumeration];
  const encoded = type.builtin === 'base64Binary' || type.builtin === 'hexBinary';
  if (type.builtin === 'base64Binary') schema.contentEncoding = 'base64';
  else if (TITLED.has(type.builtin) && !f.enumeration && !f.patterns) {
    schema.title = `xs:${type.builtin}`;
    const form = lexicalForm(type.builtin);
    if (form) schema.pattern = form.pattern;
  }
  // Lengths of binary types count octets (Part 2 §4.3.1), JSON Schema counts characters.
  if (!encoded) {
    const min = f.length ?? f.minLength;
    const max = f.length ?? f.maxLength;
    if (min !== undefined) schema.minLength = min;
    if (max !== undefined) schema.maxLength = max;
  }
  const patterns = (f.patterns ?? []).map((p) => patternToRegExp(p)).filter((p) => p !== undefined);
  if (patterns.length === 1) schema.pattern = patterns[0];
  else if (patterns.length > 1) schema.allOf = patterns.map((pattern) => ({ pattern }));
  // What a pattern lets in need not be of the type: P is no duration.
  const known = f.enumeration ? undefined : XSD_SAMPLES[`xs:${type.builtin}`];
  if (patterns.length && known !== undefined && patterns.every((p) => expressionMatcher(p)?.(known) === 'match'))
    schema.examples = [known];
  return schema;
}

/** oneOf rules for choices that do not repeat, whose branches each need one element, or a run of them, that no other has. */
function choiceRules(p: Particle): JsonSchema[][] {
  if (p.term.kind === 'element' || p.term.kind === 'any' || p.max > 1) return [];
  if (p.term.kind !== 'choice') return p.min === 0 ? [] : p.term.particles.flatMap(choiceRules);
  const branches = p.term.particles.map((b) => (b.min > 0 ? runOf(b) : undefined));
  const all = branches.flatMap((b) => b ?? []);
  const known = branches.every((b) => b?.some((e) => e.needed));
  if (!known || new Set(all.map((e) => e.name)).size < all.length || branches.length < 2) return [];
  const each = (names: readonly Run[]) => names.map((e) => ({ required: [e.name] }));
  const single = all.length === branches.length;
  const rules: JsonSchema[] = branches.map((b) => ({
    required: b!.filter((e) => e.needed).map((e) => e.name),
    // Of a run that is not taken no part may stand.
    ...(!single && { not: { anyOf: each(all.filter((e) => !b!.includes(e))) } }),
  }));
  if (p.min === 0) rules.push({ not: { anyOf: each(all) } });
  return [rules];
}

interface Run {
  readonly name: string;
  readonly needed: boolean;
}

/** The elements of a run, each of which stands once at the most; undefined where it is more than that. */
function runOf(p: Particle, needed = true): Run[] | undefined {
  if (p.max !== 1 || p.term.kind === 'any') return undefined;
  const inside = needed && p.min > 0;
  if (p.term.kind === 'element') return [{ name: p.term.json ?? p.term.name, needed: inside }];
  if (p.term.kind === 'choice') return undefined;
  const parts = p.term.particles.map((one) => runOf(one, inside));
  return parts.some((part) => part === undefined) ? undefined : parts.flatMap((part) => part!);
}

function counts(p: ElementProperty): JsonSchema {
  const out: JsonSchema = {};
  if (p.min > 1) out.minItems = p.min;
  else if (p.min === 1) out.minItems = 1;
  if (p.max !== Infinity) out.maxItems = p.max;
  return out;
}

function listCounts(f: Facets): JsonSchema {
  const out: JsonSchema = {};
  const min = f.length ?? f.minLength;
  const max = f.length ?? f.maxLength;
  if (min !== undefined) out.minItems = min;
  if (max !== undefined) out.maxItems = max;
  return out;
}

function nullable(schema: JsonSchema): JsonSchema {
  if (schema.$ref || schema.anyOf || schema.enum || schema.const !== undefined || typeof schema.type !== 'string')
    return { anyOf: [schema, { type: 'null' }] };
  return { ...schema, type: [schema.type, 'null'] };
}

function withDoc(schema: JsonSchema, doc: string | undefined, xml: NonNullable<JsonSchema['xml']>): JsonSchema {
  return { ...wrapRef(schema), ...(doc && { description: doc }), xml };
}

/** JSON Schema 2020-12 lets keywords stand beside $ref; a copy keeps the shared reference object clean. */
function wrapRef(schema: JsonSchema): JsonSchema {
  return { ...schema };
}

function dedupe(schemas: JsonSchema[]): JsonSchema[] {
  const seen = new Set<string>();
  return schemas.filter((s) => {
    const key = JSON.stringify(s);
    if (seen.has(key)) return false;
    seen.add(key);
    return true;
  });
}

const upper = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);
