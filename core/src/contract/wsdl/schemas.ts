import { LIMITS } from '../../limits';
import { HingeError } from '../../problem';
import { attributeOf, childrenOf, placeOf, readXmlTree, type XmlElement } from '../../xml';
import { fileFor } from '../locations';
import type { ContractFiles } from '../model';
import { XSD, type SchemaSet } from '../xsd';
import { demandWsdl, WSDL } from './names';

/** A reference from one document to another, as found in it. */
export interface Reference {
  readonly location: string;
  readonly from: XmlElement;
}

/** Every wsdl:import, xs:import, xs:include and xs:redefine with a location, in one document. */
export function referencesIn(root: XmlElement): Reference[] {
  const out: Reference[] = [];
  const schema = (s: XmlElement) => {
    for (const c of s.children) {
      const location =
        c.uri === XSD && ['import', 'include', 'redefine'].includes(c.local)
          ? attributeOf(c, 'schemaLocation')
          : undefined;
      if (location) out.push({ location, from: c });
    }
  };
  if (root.uri === XSD && root.local === 'schema') schema(root);
  else {
    for (const c of childrenOf(root, WSDL, 'import')) {
      const location = attributeOf(c, 'location');
      if (location) out.push({ location, from: c });
    }
    for (const types of childrenOf(root, WSDL, 'types')) childrenOf(types, XSD, 'schema').forEach(schema);
  }
  return out;
}

/** Adds every schema that the WSDL reaches to the set; returns all wsdl:definitions, the entry first. */
export function addSchemas(source: ContractFiles, entry: XmlElement, set: SchemaSet): XmlElement[] {
  const definitions: XmlElement[] = [];
  const trees = new Map<string, XmlElement>([[source.entry, entry]]);
  const done = new Set<string>();
  const tree = (base: string, location: string, from: XmlElement): [string, XmlElement] => {
    const path = fileFor(source, base, location);
    if (path === undefined)
      throw new HingeError('HNG-112', `${location} is imported and was not given`, placeOf(from), {
        remedy: `Add ${location} beside ${base.split('/').pop()}, or give the WSDL by URL so that it can be fetched.`,
      });
    let root = trees.get(path);
    if (!root) {
      if (trees.size >= LIMITS.contractDocuments)
        throw new HingeError(
          'HNG-103',
          `the contract has more than ${LIMITS.contractDocuments} documents`,
          placeOf(from),
        );
      root = readXmlTree(source.files[path]!, path);
      trees.set(path, root);
    }
    return [path, root];
  };

  const addSchema = (root: XmlElement, path: string, includer: string | undefined): void => {
    if (root.uri !== XSD || root.local !== 'schema')
      throw new HingeError('HNG-116', `${path} is not an XML schema: its root is ${root.local}`, placeOf(root));
    const own = attributeOf(root, 'targetNamespace');
    const mark = `${path} ${root.line} ${own ?? includer ?? ''}`;
    if (done.has(mark)) return;
    done.add(mark);
    const doc = set.addSchema(root, includer);
    for (const c of root.children) {
      if (c.uri !== XSD || !['import', 'include', 'redefine'].includes(c.local)) continue;
      const location = attributeOf(c, 'schemaLocation');
      if (!location) continue;
      const [innerPath, inner] = tree(path, location, c);
      addSchema(inner, innerPath, c.local === 'import' ? undefined : doc.targetNamespace);
      if (c.local === 'redefine') set.redefine(c, doc);
    }
  };

  const addDefinitions = (root: XmlElement, path: string): void => {
    if (done.has(path)) return;
    done.add(path);
    definitions.push(root);
    for (const types of childrenOf(root, WSDL, 'types'))
      for (const s of childrenOf(types, XSD, 'schema')) addSchema(s, path, undefined);
    for (const c of childrenOf(root, WSDL, 'import')) {
      const location = attributeOf(c, 'location');
      if (!location) throw new HingeError('HNG-112', 'a wsdl:import names no location', placeOf(c));
      const [innerPath, inner] = tree(path, location, c);
      if (inner.uri === XSD) addSchema(inner, innerPath, undefined);
      else {
        demandWsdl(inner);
        addDefinitions(inner, innerPath);
      }
    }
  };
  addDefinitions(entry, source.entry);
  return definitions;
}
