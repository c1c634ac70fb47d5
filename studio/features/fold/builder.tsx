'use client';
import { buildExpression, BUILDS, fromRoot, itemRows, pathExpression, type Build, type TypeRow } from '@hinge/core';
import { useState } from 'react';
import { ChoiceRow, TextRow } from './fields';

interface Choice {
  readonly text: string;
  readonly words: string;
}

interface Props {
  /** What is in reach by plain names. */
  readonly rows: readonly TypeRow[];
  /** Inside of items: what is in reach by way of the root. */
  readonly outer?: readonly TypeRow[];
  /** In front of every name: `$items.` in groups. */
  readonly prefix?: string;
  readonly onBuild: (text: string) => void;
}

const LIST_ONLY = new Set<Build>(['sum', 'average', 'least', 'most', 'count', 'first', 'last', 'distinct', 'joined']);

/** Ready expressions: a sum, a count, a value looked up in another list. */
export function Builder({ rows, outer = [], prefix = '', onBuild }: Props) {
  const [build, setBuild] = useState<Build>();
  const [of, setOf] = useState('');
  const [key, setKey] = useState('');
  const [equals, setEquals] = useState('');
  const [take, setTake] = useState('');
  const [between, setBetween] = useState(', ');
  if (!build)
    return (
      <div className="builder">
        <button className="plain soft" onClick={() => setBuild(prefix ? 'sum' : 'lookup')}>
          build a sum, a count, a look-up …
        </button>
      </div>
    );
  const own: Choice[] = rows
    .filter((r) => r.leaf || r.many)
    .map((r) => ({ text: prefix + pathExpression(r.pointer), words: prefix + pathExpression(r.pointer) }));
  const fromOuter = (r: TypeRow): Choice => ({ text: fromRoot(r.pointer), words: fromRoot(r.pointer).slice(3) });
  const inList = (r: TypeRow) => r.many || r.pointer.includes('/*/');
  const lists = [
    ...rows.filter((r) => r.many).map((r) => ({ row: r, text: prefix + pathExpression(r.pointer), of: rows })),
    ...outer.filter((r) => r.many).map((r) => ({ row: r, text: fromRoot(r.pointer), of: outer })),
  ];
  const values =
    build === 'lookup'
      ? lists.map((l) => ({ text: l.text, words: l.text }))
      : LIST_ONLY.has(build) && !prefix
        ? [
            ...rows.filter(inList).map((r) => ({ text: pathExpression(r.pointer), words: pathExpression(r.pointer) })),
            ...outer.filter(inList).map(fromOuter),
          ]
        : [...own, ...outer.filter((r) => r.leaf).map(fromOuter)];
  const list = lists.find((l) => l.text === of);
  const fields = list
    ? itemRows(list.of, list.row.pointer)
        .filter((r) => r.leaf)
        .map((r) => pathExpression(r.pointer))
    : [];
  const pairs = (all: readonly string[]) => [['', '…'], ...all.map((t) => [t, t])] as [string, string][];
  const ready = of !== '' && (build !== 'lookup' || (key !== '' && equals !== ''));
  return (
    <div className="builder open" role="group" aria-label="Build an expression">
      <ChoiceRow
        hideLabel
        label="What is built"
        value={build}
        options={Object.entries(BUILDS) as [Build, string][]}
        onChange={(b) => {
          setBuild(b);
          setOf('');
        }}
      />
      <ChoiceRow
        hideLabel
        label={build === 'lookup' ? 'List to look in' : 'Of what'}
        value={of}
        options={[['', '…'], ...values.map((v) => [v.text, v.words] as [string, string])]}
        onChange={setOf}
      />
      {build === 'lookup' && (
        <>
          <div className="soft">its item whose</div>
          <ChoiceRow hideLabel label="Field of an item" value={key} options={pairs(fields)} onChange={setKey} />
          <div className="soft">is</div>
          <ChoiceRow
            hideLabel
            label="Value that it must equal"
            value={equals}
            options={pairs(rows.filter((r) => r.leaf && !inList(r)).map((r) => prefix + pathExpression(r.pointer)))}
            onChange={setEquals}
          />
          <div className="soft">and of that</div>
          <ChoiceRow
            hideLabel
            label="Field that is taken"
            value={take}
            options={[['', 'the whole item'], ...fields.map((t) => [t, t] as [string, string])]}
            onChange={setTake}
          />
        </>
      )}
      {build === 'joined' && (
        <TextRow hideLabel label="Between the texts" value={between} onChange={(t) => setBetween(t ?? '')} />
      )}
      <div className="row">
        <button
          className="plain spruce"
          disabled={!ready}
          onClick={() => {
            onBuild(buildExpression(build, { of, key, equals, take: take || undefined, between }));
            setBuild(undefined);
          }}
        >
          Put it in
        </button>
        <button className="plain soft" onClick={() => setBuild(undefined)}>
          Never mind
        </button>
      </div>
    </div>
  );
}
