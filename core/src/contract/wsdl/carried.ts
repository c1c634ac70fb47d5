import { finding, type Finding } from '../../problem';
import { bindingOf, type ElementDecl, type Type } from '../xsd';

/** Says once for each type what of it is not carried into JSON yet: wildcards, mixed text, abstract types. */
export function checkCarried(decl: ElementDecl, findings: Finding[]): void {
  const seen = told.get(findings) ?? new Set<Type>();
  told.set(findings, seen);
  const walk = (d: ElementDecl): void => {
    const type = d.type;
    if (seen.has(type) || type.kind !== 'complex') return;
    seen.add(type);
    const name = type.name?.local ?? d.name;
    const b = bindingOf(type);
    if (b.open)
      findings.push(
        finding('HNG-118', `${name} has a wildcard (xs:any); elements found there are left out`, type.place),
      );
    if (type.mixed)
      findings.push(finding('HNG-118', `${name} has mixed content; text between its elements is left out`, type.place));
    if (type.abstract || d.abstract)
      findings.push(
        finding('HNG-118', `${name} is abstract; derived types (xsi:type, substitution) are not read yet`, type.place),
      );
    for (const p of b.properties) if (p.kind === 'element') walk(p.decl);
  };
  walk(decl);
}

const told = new WeakMap<Finding[], Set<Type>>();
