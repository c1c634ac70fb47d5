import type { ContractOperation } from '../../contract';
import { coverageOf, itemRows, readItems } from '../../mapping';
import { finding, type Finding } from '../../problem';
import { resolveSchema, typeRows, type JsonSchema, type TypeRow, type TypeTable } from '../../schema';
import { fieldPointer } from '../expression';
import type { StepContext } from '../kind';
import type { MapDocument } from './schema';

export interface Target {
  readonly words: string;
  /** Schema of the whole arguments object: { body, headers, soapHeader, … }. */
  readonly schema: JsonSchema;
  readonly types: TypeTable;
  readonly operation?: ContractOperation;
  readonly backend?: string;
}

/** Required leaves of the target that nothing fills. A filled parent fills its children. */
export function checkCoverage(
  step: MapDocument,
  target: Target,
  context: StepContext,
  report: (f: Finding) => void,
): void {
  const filled = (step.fields ?? []).map((f) => f.to);
  const covers = (pointer: string) =>
    filled.some((f) => f === pointer || pointer.startsWith(`${f}/`) || f.startsWith(`${pointer}/`));
  const rows = typeRows(target.schema, target.types);
  checkItems(step, rows, target, context, report);
  let skip: string | undefined;
  for (const row of rows) {
    if (skip !== undefined && row.pointer.startsWith(`${skip}/`)) continue;
    skip = undefined;
    if (covers(row.pointer)) {
      if (row.many) skip = row.pointer;
      continue;
    }
    skip = row.pointer;
    const empty =
      row.pointer === '/body' &&
      !target.operation?.http &&
      !resolveSchema(target.schema.properties!.body!, target.types).required?.length;
    if (row.required && !row.many && !empty) {
      report(
        finding(
          'HNG-303',
          `${row.pointer.replace(/^\/(body|soapHeader)\//, '').replace(/\//g, '.')} of ${target.words} is required and has no source`,
          { ...context.place, pointer: `${context.place.pointer}/fields` },
        ),
      );
    }
  }
}

/** Required fields of the items of a list that is made item by item. */
function checkItems(
  step: MapDocument,
  rows: readonly TypeRow[],
  target: Target,
  context: StepContext,
  report: (f: Finding) => void,
): void {
  (step.fields ?? []).forEach((f, i) => {
    const items = readItems(f.from);
    if (!items || !rows.some((r) => r.pointer === f.to && r.many)) return;
    const { missing } = coverageOf(
      itemRows(rows, f.to),
      items.fields.map((x) => x.to),
    );
    for (const pointer of missing)
      report(
        finding(
          'HNG-303',
          `${pointer.slice(1).replace(/\//g, '.')} in each item of ${f.to.slice('/body/'.length)} of ${target.words} is required and has no source`,
          { ...context.place, pointer: `${context.place.pointer}${fieldPointer(i)}` },
        ),
      );
  });
}
