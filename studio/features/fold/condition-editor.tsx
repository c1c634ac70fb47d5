'use client';
import { OPERATORS, pathExpression, type Condition, type ConditionRow, type Operator, type TypeRow } from '@hinge/core';
import { ChoiceRow, ExpressionRow, RowMoves, TextRow } from './fields';
import { ListRow } from './list-row';

interface Props {
  readonly label: string;
  readonly value: Condition;
  readonly rows: readonly TypeRow[];
  readonly readOnly?: boolean;
  readonly onChange: (value: Condition) => void;
}

const OPTIONS = Object.entries(OPERATORS) as [Operator, string][];
const NUMERIC: readonly Operator[] = ['lessThan', 'atMost', 'moreThan', 'atLeast'];

/** Conditions as rows that must all hold; a row is a ready comparison or an expression of its own. */
export function ConditionEditor({ label, value, rows, readOnly, onChange }: Props) {
  const list = Array.isArray(value) ? value : [value];
  const put = (next: readonly (string | ConditionRow)[]) =>
    onChange(next.length === 1 ? next[0]! : ([...next] as Condition));
  const set = (i: number, row: string | ConditionRow) => put(list.map((r, n) => (n === i ? row : r)));
  return (
    <div className="conditions" role="group" aria-label={label}>
      {list.map((row, i) => (
        <div key={i} className="condition">
          <span className="soft and">{i ? 'and' : 'when'}</span>
          <div className="grow column" style={{ gap: 4 }}>
            <ExpressionRow
              hideLabel
              label={`${label}, ${i + 1}: what is looked at`}
              value={typeof row === 'string' ? row : row.of}
              rows={rows}
              readOnly={readOnly}
              onChange={(t) => t.trim() && set(i, typeof row === 'string' ? t : { ...row, of: t })}
            />
            <div className="row" style={{ gap: 6 }}>
              <ChoiceRow<Operator | 'expression'>
                hideLabel
                label={`${label}, ${i + 1}: comparison`}
                value={typeof row === 'string' ? 'expression' : row.is}
                options={[...OPTIONS, ['expression', 'is true (expression)']]}
                readOnly={readOnly}
                width={148}
                onChange={(is) => {
                  const of = typeof row === 'string' ? row : row.of;
                  if (is === 'expression') set(i, of);
                  else if (is === 'exists' || is === 'missing') set(i, { of, is });
                  else set(i, { of, is, value: typeof row === 'string' ? '' : (row.value ?? '') });
                }}
              />
              {typeof row !== 'string' && row.is === 'oneOf' && (
                <ListRow
                  hideLabel
                  mono
                  label={`${label}, ${i + 1}: value`}
                  values={[row.value ?? []].flat().map(String)}
                  placeholder="several, with commas"
                  readOnly={readOnly}
                  onChange={(all) => set(i, { ...row, value: all ?? [] })}
                />
              )}
              {typeof row !== 'string' && row.is !== 'exists' && row.is !== 'missing' && row.is !== 'oneOf' && (
                <TextRow
                  hideLabel
                  mono
                  label={`${label}, ${i + 1}: value`}
                  value={row.value === undefined ? '' : [row.value].flat().map(String).join(', ')}
                  placeholder="value"
                  readOnly={readOnly}
                  onChange={(t) => set(i, { ...row, value: valueOf(t ?? '', row) })}
                />
              )}
              <RowMoves
                index={i}
                count={list.length}
                what={`condition ${i + 1}`}
                readOnly={readOnly}
                onRemove={list.length > 1 ? () => put(list.filter((_r, n) => n !== i)) : undefined}
              />
            </div>
          </div>
        </div>
      ))}
      {!readOnly && (
        <button className="plain spruce" onClick={() => put([...list, freshCondition(rows)])}>
          and …
        </button>
      )}
    </div>
  );
}

/** A condition to begin with: on the first field in reach, so that it is no mistake from the start. */
export function freshCondition(rows: readonly TypeRow[]): ConditionRow {
  const first = rows.find((r) => r.leaf && !r.pointer.includes('*'));
  return first ? { of: pathExpression(first.pointer), is: 'exists' } : { of: 'method', is: 'equals', value: 'GET' };
}

/** Numbers where numbers are compared, or where one stood; text otherwise. */
function valueOf(text: string, row: ConditionRow): unknown {
  const n = Number(text);
  const number = text.trim() !== '' && !Number.isNaN(n) && String(n) === text.trim();
  return number && (NUMERIC.includes(row.is) || typeof row.value === 'number') ? n : text;
}
