import { finding, type Finding } from '../../problem';
import { bindingOf, variantsOf, XSD, type ElementDecl, type Type } from '../xsd';

/** Says once for each type what of it stands in JSON in a general form because the schema leaves it open. */
export function checkCarried(decl: ElementDecl, findings: Finding[]): void {
  const seen = told.get(findings) ?? new Set<Type>();
  told.set(findings, seen);
  const walk = (d: ElementDecl): void => {
    const type = d.type;
    if (seen.has(type) || type.kind !== 'complex') return;
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
    for (const p of b.byElement.values()) walk(p.decl);
    for (const v of variantsOf(d)) if (v.decl !== d) walk(v.decl);
  };
  walk(decl);
}

const told = new WeakMap<Finding[], Set<Type>>();
