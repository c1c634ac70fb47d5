import { finding, type Finding } from '../../problem';
import { patternFault } from '../../pattern';
import { bindingOf, variantsOf, XSD, type ElementDecl, type SimpleType, type Type } from '../xsd';

/**
 * Says once for each type what of it stands in JSON in a general form because the schema leaves it open, and which patterns cannot be
 * held (XML Schema Part 2 appendix F).
 */
export function checkCarried(decl: ElementDecl, findings: Finding[]): void {
  const seen = told.get(findings) ?? new Set<Type>();
  told.set(findings, seen);
  const simple = (type: SimpleType, name: string, place: ElementDecl['place']): void => {
    if (seen.has(type)) return;
    seen.add(type);
    for (const source of type.facets.patterns ?? []) {
      const fault = patternFault(source);
      if (fault) findings.push(finding('HNG-119', `the pattern ${brief(source)} of ${name}: ${fault.message}`, place));
    }
    for (const part of type.members ?? (type.item ? [type.item] : [])) simple(part, name, place);
  };
  const walk = (d: ElementDecl): void => {
    const type = d.type;
    if (type.kind === 'simple') return simple(type, type.name?.local ?? d.name, d.place);
    if (seen.has(type)) return;
    seen.add(type);
    const name = type.name?.local ?? d.name;
    const b = bindingOf(type);
    if (type.name?.uri === XSD) findings.push(finding('HNG-118', `${d.name} may hold anything (xs:anyType)`, d.place));
    else if (b.mixed) findings.push(finding('HNG-118', `${name} has mixed content; it stands in $mixed`, type.place));
    else if (b.wildcards.length)
      findings.push(finding('HNG-118', `${name} has a wildcard (xs:any); what it lets in stands in $any`, type.place));
    if ((d.abstract || type.abstract) && variantsOf(d).length === 0)
      findings.push(
        finding('HNG-118', `${d.name} is abstract, and the schema has nothing that could stand for it`, d.place),
      );
    if (b.text) simple(b.text.type, b.text.type.name?.local ?? name, type.place);
    for (const a of b.byAttribute.values()) simple(a.use.type, a.use.type.name?.local ?? a.use.name, type.place);
    for (const p of b.byElement.values()) walk(p.decl);
    for (const v of variantsOf(d)) if (v.decl !== d) walk(v.decl);
  };
  walk(decl);
}

const brief = (text: string): string => (text.length > 80 ? `${text.slice(0, 77)}…` : text);

const told = new WeakMap<Finding[], Set<Type>>();
