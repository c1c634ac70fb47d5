import { jsonataName } from '../expression';
import { pointerParts, type TypeRow } from '../schema';
import { writeItems } from './items';
import { suggestFields } from './suggest';

/** The path to a field as an expression: /body/stay/from → body.stay.from; items of lists are mapped over by JSONata itself. */
export function pathExpression(pointer: string): string {
  return pointerParts(pointer)
    .filter((p) => p !== '*')
    .map(jsonataName)
    .join('.');
}

/** Fields right below a list's items, each by its own pointer from there. */
export function itemRows(rows: readonly TypeRow[], list: string): TypeRow[] {
  const start = `${list}/*/`;
  return rows
    .filter((r) => r.pointer.startsWith(start))
    .map((r) => ({ ...r, pointer: `/${r.pointer.slice(start.length)}` }));
}

/**
 * An expression for one join. A list on both sides gives an object for each item, its fields joined by name; a single value put where a list is
 * wanted becomes a list of one; a list where one value is wanted gives its first.
 */
export function joinExpression(
  from: TypeRow,
  to: TypeRow,
  sources: readonly TypeRow[],
  targets: readonly TypeRow[],
): string {
  const path = pathExpression(from.pointer);
  if (from.many && to.many) {
    const inner = itemRows(targets, to.pointer);
    const found = suggestFields(
      itemRows(sources, from.pointer),
      inner.filter((r) => r.leaf),
      { least: 0.5 },
    );
    if (!inner.length || !found.length) return path;
    return writeItems({ of: path, fields: found.map((f) => ({ to: f.to, from: pathExpression(f.from) })) });
  }
  if (to.many) return `[${path}]`;
  if (from.many && to.leaf) return `${path}[0]`;
  return path;
}
