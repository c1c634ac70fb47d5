import { objectOf, refName, resolveSchema, typesOf, withoutNull, type JsonSchema, type TypeTable } from '../../schema';
import { builtinType } from './builtins';
import type { AttributeUse, ComplexType, ElementDecl, Particle, SimpleType, Type } from './components';
import { ANY_TYPE } from './any';

/**
 * A JSON Schema with OpenAPI's `xml` object (3.1 §4.8.26) as components, so that the codec of XML Schema reads and writes it: attributes,
 * names, namespaces, wrapped and unwrapped lists. What has no one form (anyOf, free objects) travels in the general form.
 */
export class SchemaElements {
  private readonly made = new Map<JsonSchema, Type>();
  /** Members that not all forms of an object have. */
  private readonly sparse = new WeakSet<JsonSchema>();

  constructor(private readonly types: TypeTable) {}

  /** The root element of a message. A list at the root is the content of an element of its name. */
  root(schema: JsonSchema, fallback: string): ElementDecl {
    const r = resolveSchema(schema, this.types);
    const xml = schema.xml ?? r.xml;
    return this.element(schema, { name: xml?.name ?? refName(schema) ?? fallback, uri: xml?.namespace ?? '' });
  }

  private element(
    schema: JsonSchema,
    named: { name: string; uri: string; json?: string; sparse?: boolean },
  ): ElementDecl {
    const { inner, nullable } = withoutNull(schema, this.types);
    const make = () => this.typeOf(inner);
    let type: Type | undefined;
    return {
      kind: 'element',
      ...named,
      global: false,
      nillable: nullable,
      abstract: false,
      doc: schema.description,
      place: {},
      get type() {
        return (type ??= make());
      },
    };
  }

  private typeOf(schema: JsonSchema): Type {
    const r = resolveSchema(schema, this.types);
    const known = this.made.get(r);
    if (known) return known;
    const type = this.makeType(r);
    this.made.set(r, type);
    return type;
  }

  private makeType(r: JsonSchema): Type {
    const simple = simpleOf(r, this.types);
    if (simple) return simple;
    if (typesOf(r).includes('array')) return complex([this.many(r, r.xml?.name ?? 'item', undefined)], []);
    const object = this.formOf(r);
    return object?.properties && Object.keys(object.properties).length ? this.object(object) : ANY_TYPE;
  }

  /** An object; alternatives that are objects as one with the members of all, of which those are needed that all need. */
  private formOf(schema: JsonSchema, depth = 8): JsonSchema | undefined {
    const r = resolveSchema(schema, this.types);
    const options = r.oneOf ?? r.anyOf;
    if (!options || depth === 0) return objectOf(r, this.types);
    const forms = options.map((o) => this.formOf(o, depth - 1));
    const own = objectOf({ ...r, oneOf: undefined, anyOf: undefined, discriminator: undefined }, this.types) ?? {};
    const properties: Record<string, JsonSchema> = { ...own.properties };
    for (const [i, form] of forms.entries()) {
      // Alternatives of what must be there are no forms of their own.
      if (!form && !isRule(resolveSchema(options[i]!, this.types))) return undefined;
      for (const [key, p] of Object.entries(form?.properties ?? {})) {
        const had = properties[key];
        if (had === undefined) properties[key] = p;
        else if (resolveSchema(had, this.types) !== resolveSchema(p, this.types)) {
          const merged = mergedProperty(had, p, this.types);
          if (!merged) return undefined;
          properties[key] = merged;
        }
      }
    }
    for (const [key, p] of Object.entries(properties)) {
      if (own.properties?.[key] !== undefined || forms.every((f) => f?.properties?.[key] !== undefined)) continue;
      properties[key] = { ...p };
      this.sparse.add(properties[key]);
    }
    const all = forms.map((f) => f?.required ?? []);
    const required = [
      ...(own.required ?? []),
      ...(all[0] ?? []).filter((n) => all.every((names) => names.includes(n))),
    ];
    const closed = [r, ...forms].some((f) => f?.additionalProperties === false);
    return { xml: r.xml, type: 'object', properties, required, ...(closed && { additionalProperties: false }) };
  }

  private object(s: JsonSchema): Type {
    const attributes: AttributeUse[] = [];
    const particles: Particle[] = [];
    const entries = Object.entries(s.properties!);
    const others = entries.filter(([, p]) => !p.xml?.attribute);
    const [only] = others;
    // Attributes and one plain member called value: the text of the element (how simple content is written).
    if (others.length === 1 && entries.length > 1 && only![0] === 'value' && !only![1].xml) {
      const text = simpleOf(resolveSchema(only![1], this.types), this.types);
      if (text) return { ...complex([], this.attributes(s)), content: { kind: 'simple', type: text } };
    }
    for (const [key, property] of entries) {
      const required = s.required?.includes(key) ?? false;
      if (property.xml?.attribute) {
        attributes.push(this.attribute(key, property, required));
        continue;
      }
      const r = resolveSchema(withoutNull(property, this.types).inner, this.types);
      const xml = property.xml ?? r.xml;
      const named = { name: xml?.name ?? key, uri: xml?.namespace ?? '', json: key };
      if (typesOf(r).includes('array')) {
        if (!xml?.wrapped)
          particles.push(this.many(r, named.name, { ...named, sparse: this.isSparse(key, property, s, r) }));
        else {
          const item = this.many(r, key, undefined);
          const type = complex([item], []);
          particles.push({
            min: required ? 1 : 0,
            max: 1,
            term: { ...this.element({}, named), type },
          });
        }
        continue;
      }
      particles.push({ min: required ? 1 : 0, max: 1, term: this.element(property, named) });
    }
    return { ...complex(particles, attributes), open: s.additionalProperties !== false };
  }

  private attributes(s: JsonSchema): AttributeUse[] {
    return Object.entries(s.properties!)
      .filter(([, p]) => p.xml?.attribute)
      .map(([key, p]) => this.attribute(key, p, s.required?.includes(key) ?? false));
  }

  private attribute(key: string, p: JsonSchema, required: boolean): AttributeUse {
    const type = simpleOf(resolveSchema(p, this.types), this.types) ?? builtinType('string')!;
    return { name: p.xml?.name ?? key, uri: p.xml?.namespace ?? '', json: key, required, type };
  }

  /** Items of a list: their own name first, then the list's. */
  /** An absent list is none rather than empty: in some alternatives, and where an empty one would be too short. */
  private isSparse(key: string, property: JsonSchema, owner: JsonSchema, list: JsonSchema): boolean {
    return this.sparse.has(property) || (!owner.required?.includes(key) && (list.minItems ?? 0) > 0);
  }

  private many(
    list: JsonSchema,
    fallback: string,
    outer: { uri: string; json?: string; sparse?: boolean } | undefined,
  ): Particle {
    const items = list.items ?? {};
    const xml = items.xml ?? resolveSchema(items, this.types).xml;
    const named = {
      name: xml?.name ?? fallback,
      uri: xml?.namespace ?? outer?.uri ?? '',
      json: outer?.json,
      sparse: outer?.sparse,
    };
    return {
      // How many are needed where there are some, the schema says.
      min: outer?.sparse ? 0 : (list.minItems ?? 0),
      max: list.maxItems === 1 ? Infinity : (list.maxItems ?? Infinity),
      term: this.element(items, named),
    };
  }
}

/** Only says which members must be there. */
const isRule = (s: JsonSchema): boolean =>
  !s.properties && !s.type && (s.required !== undefined || s.not !== undefined);

/** One member that two forms have, as XML shows it: simple values as a union, anything else only where both look alike. */
function mergedProperty(a: JsonSchema, b: JsonSchema, types: TypeTable): JsonSchema | undefined {
  if (JSON.stringify(a) === JSON.stringify(b)) return a;
  if (JSON.stringify(a.xml) !== JSON.stringify(b.xml)) return undefined;
  const simple = [a, b].every((s) => simpleOf(resolveSchema(s, types), types) !== undefined);
  return simple ? { anyOf: [a, b], ...(a.xml && { xml: a.xml }) } : undefined;
}

function complex(particles: Particle[], attributes: AttributeUse[]): ComplexType {
  return {
    kind: 'complex',
    abstract: false,
    mixed: false,
    derivation: 'restriction',
    content: particles.length
      ? { kind: 'elements', particle: { min: 1, max: 1, term: { kind: 'all', particles } } }
      : { kind: 'empty' },
    attributes,
    anyAttribute: [],
    place: {},
  };
}

/** Scalars only: what is anything else returns undefined. Facets stay with the JSON Schema, which is checked apart. */
function simpleOf(r: JsonSchema, types: TypeTable): SimpleType | undefined {
  const options = r.anyOf ?? (r.type === undefined ? r.oneOf : undefined);
  if (options) {
    const members = options.map((o) => simpleOf(resolveSchema(o, types), types));
    if (members.some((m) => m === undefined)) return undefined;
    return { kind: 'simple', variety: 'union', builtin: 'anySimpleType', members: members as SimpleType[], facets: {} };
  }
  const named = typesOf(r).filter((t) => t !== 'null');
  const type =
    named.length === 1
      ? named[0]
      : named.length === 0 && r.enum?.every((v) => typeof v === 'string')
        ? 'string'
        : undefined;
  switch (type) {
    case 'integer':
      return builtinType('integer');
    case 'number':
      return builtinType('double');
    case 'boolean':
      return builtinType('boolean');
    case 'string':
      return r.enum?.every((v) => typeof v === 'string')
        ? { ...builtinType('token')!, facets: { enumeration: r.enum as string[], whiteSpace: 'collapse' } }
        : builtinType('string');
    default:
      return undefined;
  }
}
