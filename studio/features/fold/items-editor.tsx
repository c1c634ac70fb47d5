'use client';
import {
  groupItems,
  itemRows,
  pathExpression,
  readItems,
  suggestFields,
  writeItems,
  type ItemMap,
  type TypeRow,
} from '@hinge/core';
import { useEffect, useMemo, useRef, useState } from 'react';
import { Builder } from './builder';
import { ExpressionEditor } from './expression-editor';
import { ChoiceRow } from './fields';
import { brief, valuesAt } from './values';

interface Props {
  readonly text: string;
  /** What is in reach where the list stands. */
  readonly sourceRows: readonly TypeRow[];
  /** Of the root, when this list stands inside of items itself. */
  readonly outer?: readonly TypeRow[];
  /** Fields of an item of the target, by pointer from the item. */
  readonly targetRows: readonly TypeRow[];
  /** Items that the map made now. */
  readonly values: readonly unknown[];
  readonly readOnly?: boolean;
  readonly onChange: (text: string) => void;
}

const GROUP_WORDS = [
  { label: '$key', detail: 'what the group has in common' },
  { label: '$items', detail: 'items of the group' },
];

/** A list made of a list: which items, in which order, grouped or not, and what each field of an item becomes. */
export function ItemsEditor({ text, sourceRows, outer, targetRows, values, readOnly, onChange }: Props) {
  const [map, setMap] = useState<ItemMap | undefined>(() => readItems(text));
  const last = useRef(text);
  useEffect(() => {
    if (text === last.current) return;
    last.current = text;
    setMap(readItems(text));
  }, [text]);
  const [open, setOpen] = useState<string>();
  const lists = useMemo(
    () => [
      ...sourceRows
        .filter((r) => r.many)
        .map((r) => ({ path: pathExpression(r.pointer), rows: itemRows(sourceRows, r.pointer) })),
      ...(outer ?? [])
        .filter((r) => r.many)
        .map((r) => ({ path: `$$.${pathExpression(r.pointer)}`, rows: itemRows(outer!, r.pointer) })),
    ],
    [sourceRows, outer],
  );
  const put = (next: ItemMap) => {
    setMap(next);
    const written = writeItems(next);
    last.current = written;
    onChange(written);
  };
  const start = (path: string) => {
    const from = lists.find((l) => l.path === path)?.rows ?? [];
    const found = suggestFields(
      from,
      targetRows.filter((r) => r.leaf && !r.pointer.includes('/*/')),
      { least: 0.5 },
    );
    put({ of: path, fields: found.map((f) => ({ to: f.to, from: pathExpression(f.from) })) });
  };
  if (!map) {
    if (readOnly || !lists.length) return null;
    return (
      <div className="items row">
        <span className="soft nowrap">{text.trim() ? 'anew,' : ''} item by item from</span>
        <ChoiceRow
          hideLabel
          label="List that it is made of"
          value=""
          options={[['', '…'], ...lists.map((l) => [l.path, l.path] as [string, string])]}
          onChange={(path) => path && start(path)}
        />
      </div>
    );
  }
  const rows = lists.find((l) => l.path === map.of)?.rows ?? [];
  const shown = targetRows.filter((r) => (r.leaf || r.many) && !r.pointer.slice(1).includes('/*/'));
  const extra = map.fields.filter((f) => !shown.some((r) => r.pointer === f.to));
  const setField = (to: string, from: string) => {
    const had = map.fields.some((f) => f.to === to);
    put({
      ...map,
      fields: !from.trim()
        ? map.fields.filter((f) => f.to !== to)
        : had
          ? map.fields.map((f) => (f.to === to ? { to, from } : f))
          : [...map.fields, { to, from }],
    });
  };
  const common = { rows, readOnly };
  return (
    <div className="items" role="group" aria-label="Item by item">
      <div className="items-row">
        <span className="soft">each of</span>
        <ChoiceRow
          hideLabel
          label="List that it is made of"
          value={map.of}
          readOnly={readOnly}
          options={[
            ...(lists.some((l) => l.path === map.of) ? [] : [[map.of, map.of] as [string, string]]),
            ...lists.map((l) => [l.path, l.path] as [string, string]),
          ]}
          onChange={(of) => put({ ...map, of })}
        />
      </div>
      <Small
        {...common}
        words="only where"
        label="Only items for which this holds"
        value={map.where ?? ''}
        onChange={(v) => put({ ...map, where: v.trim() ? v : undefined })}
      />
      <Small
        {...common}
        words="sorted by"
        label="Sorted by; > in front for falling"
        value={map.sort ? `${map.sort.descending ? '>' : ''}${map.sort.by}` : ''}
        onChange={(v) => put({ ...map, sort: sortOf(v) })}
      />
      <Small
        {...common}
        words="grouped by"
        label="One item for each"
        value={map.group ?? ''}
        onChange={(v) => put(groupItems(map, v.trim() || undefined))}
      />
      {map.group && <div className="soft items-note">fields read $key and, of the group, $items</div>}
      <div className="items-fields">
        {[...shown, ...extra.map((f) => ({ pointer: f.to, words: '', required: false, many: false, leaf: true }))].map(
          (r) => {
            const from = map.fields.find((f) => f.to === r.pointer)?.from ?? '';
            const inner = r.many ? itemRows(targetRows, r.pointer) : [];
            const now = brief(valuesAt(values[0], r.pointer));
            const name = r.pointer.slice(1).replace(/\//g, ' / ');
            return (
              <div key={r.pointer} className="items-field">
                <div className="row">
                  <span className={`mono grow cut ${r.required && !from ? 'rust' : ''}`} title={r.words}>
                    {name}
                    {r.required && <span className="soft"> needed</span>}
                  </span>
                  <span className="brass mono cut">{now}</span>
                  {!readOnly && (
                    <button
                      className="plain soft"
                      aria-expanded={open === r.pointer}
                      aria-label={`Build ${name}`}
                      onClick={() => setOpen(open === r.pointer ? undefined : r.pointer)}
                    >
                      {open === r.pointer ? '▴' : '▾'}
                    </button>
                  )}
                </div>
                <ExpressionEditor
                  label={`${name} of each item`}
                  value={from}
                  rows={rows}
                  extra={map.group ? GROUP_WORDS : undefined}
                  readOnly={readOnly}
                  onChange={(v) => setField(r.pointer, v)}
                />
                {open === r.pointer &&
                  (inner.length ? (
                    <ItemsEditor
                      text={from}
                      sourceRows={rows}
                      outer={outer ?? sourceRows}
                      targetRows={inner}
                      values={valuesAt(values[0], `${r.pointer}/*`)}
                      onChange={(v) => setField(r.pointer, v)}
                    />
                  ) : (
                    <Builder
                      rows={rows}
                      outer={outer ?? sourceRows}
                      prefix={map.group ? '$items.' : ''}
                      onBuild={(v) => {
                        setField(r.pointer, v);
                        setOpen(undefined);
                      }}
                    />
                  ))}
              </div>
            );
          },
        )}
      </div>
    </div>
  );
}

function sortOf(text: string): ItemMap['sort'] {
  const by = text.trim().replace(/^[<>]/, '').trim();
  return by ? { by, ...(text.trim().startsWith('>') && { descending: true }) } : undefined;
}

function Small({
  words,
  label,
  value,
  rows,
  readOnly,
  onChange,
}: {
  words: string;
  label: string;
  value: string;
  rows: readonly TypeRow[];
  readOnly?: boolean;
  onChange: (value: string) => void;
}) {
  return (
    <div className="items-row">
      <span className="soft">{words}</span>
      <ExpressionEditor label={label} value={value} rows={rows} readOnly={readOnly} onChange={onChange} />
    </div>
  );
}
