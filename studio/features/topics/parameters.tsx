'use client';
import type { TopicDocument } from '@hinge/core';
import { Fragment } from 'react';
import { ExpressionRow, TextRow } from '../fold/fields';
import { ListRow } from '../fold/list-row';

type Said = NonNullable<TopicDocument['parameters']>;

interface Props {
  /** Of the address, in their order. */
  readonly names: readonly string[];
  readonly said: Said | undefined;
  readonly readOnly?: boolean;
  readonly onChange: (said: Said | undefined) => void;
}

/** What each parameter of an address is, and which values it may have. */
export function ParameterRows({ names, said, readOnly, onChange }: Props) {
  const set = (name: string, more: Partial<Said[string]>) => {
    const own = Object.fromEntries(Object.entries({ ...said?.[name], ...more }).filter(([, v]) => v !== undefined));
    const { [name]: _gone, ...rest } = said ?? {};
    const next = Object.keys(own).length ? { ...rest, [name]: own } : rest;
    onChange(Object.keys(next).length ? next : undefined);
  };
  return (
    <div className="topic-form" role="group" aria-label="Parameters of the address">
      {names.map((name) => (
        <Fragment key={name}>
          <TextRow
            label={`What {${name}} is`}
            value={said?.[name]?.description}
            readOnly={readOnly}
            onChange={(description) => set(name, { description })}
          />
          <ListRow
            mono
            placeholder="any, or: north, south"
            label={`Values {${name}} may have`}
            values={said?.[name]?.values}
            readOnly={readOnly}
            onChange={(values) => set(name, { values })}
          />
        </Fragment>
      ))}
    </div>
  );
}

/** An expression for each parameter of a topic, also for those it no longer has: the check says so. */
export function GivenRows({
  names,
  given,
  rows,
  readOnly,
  onChange,
}: {
  readonly names: readonly string[];
  readonly given: Readonly<Record<string, string>> | undefined;
  readonly rows: React.ComponentProps<typeof ExpressionRow>['rows'];
  readonly readOnly?: boolean;
  readonly onChange: (given: Record<string, string> | undefined) => void;
}) {
  return [...new Set([...names, ...Object.keys(given ?? {})])].map((name) => (
    <ExpressionRow
      key={name}
      label={`Value for {${name}}${names.includes(name) ? '' : ', which the topic does not have'}`}
      value={given?.[name] ?? ''}
      rows={rows}
      readOnly={readOnly}
      onChange={(text) => {
        const { [name]: _gone, ...rest } = given ?? {};
        const next = text.trim() ? { ...rest, [name]: text } : rest;
        onChange(Object.keys(next).length ? next : undefined);
      }}
    />
  ));
}
