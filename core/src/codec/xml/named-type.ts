import { variantsOf, XSD, type ComplexType, type ElementDecl, type Type } from '../../contract/xsd';
import type { XmlScanner } from '../../xml';
import type { ReadContext } from './read-parts';

/** What xsi:type says (Part 1 §2.6.1): the declared type itself, one derived from it, or any type where xs:anyType is declared. */
export function namedType(
  text: string,
  declared: ElementDecl,
  actual: ElementDecl,
  type: ComplexType,
  s: XmlScanner,
  c: ReadContext,
): { type: Type; label?: string } | undefined {
  const colon = text.indexOf(':');
  const uri = s.namespaceOf(colon < 0 ? '' : text.slice(0, colon));
  const local = colon < 0 ? text : text.slice(colon + 1);
  if (uri !== undefined) {
    if (type.name && type.name.local === local && type.name.uri === uri) return undefined;
    const derived = type.derived?.find((t) => t.name!.local === local && t.name!.uri === uri);
    if (derived) {
      const variant = variantsOf(declared).find((v) => v.decl === actual && v.content === derived);
      return { type: derived, label: variant?.type };
    }
    if (type.name?.uri === XSD) {
      const any = actual.schemas?.typeNamed({ uri, local });
      if (any && any !== type) return { type: any, label: local };
      return undefined;
    }
  }
  if (!c.lenient) c.tell('type', `xsi:type says ${text}, which is not derived from the type of ${actual.name}`);
  return undefined;
}
