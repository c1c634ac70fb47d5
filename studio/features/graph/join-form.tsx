'use client';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import {
  joinOperations,
  joinParts,
  joinTypes,
  joinValues,
  type FlowDocument,
  type Join,
  type JoinParts,
} from '@hinge/core';
import { useMemo, useState } from 'react';
import { ChoiceRow, NumberRow } from '../fold/fields';
import { Search } from './search';

interface Props {
  readonly document: FlowDocument;
  /** The other joins: a field is given once. */
  readonly taken: readonly Join[];
  readonly join?: Join;
  readonly onDone: (join: Join) => void;
  readonly onLeave: () => void;
}

const FIELD = /^[A-Za-z][A-Za-z0-9_]*$/;

/** Which type gets which field, which operation resolves it, and what that is given. */
export function JoinForm({ document, taken, join, onDone, onLeave }: Props) {
  const types = useMemo(() => joinTypes(document), [document]);
  const operations = useMemo(() => joinOperations(document), [document]);
  const [type, setType] = useState(join?.type ?? '');
  const [field, setField] = useState(join?.field ?? '');
  const [operation, setOperation] = useState(join?.operation ?? '');
  const [given, setGiven] = useState<Readonly<Record<string, string>>>(join?.with ?? {});
  const [list, setList] = useState(join?.list);
  const values = useMemo(() => (type ? joinValues(document, type) : []), [document, type]);
  const parts = useMemo(() => joinParts(document, operation), [document, operation]);
  const many = parts.parameters.find((p) => p.many && given[p.name] !== undefined);
  const at = parts.lists.find((l) => l.items === (list?.items ?? ''));

  const chooseOperation = (id: string) => {
    setOperation(id);
    const { parameters, lists } = joinParts(document, id);
    // What has the same name is most likely meant; what is neither needed nor takes many would only narrow the answer.
    const same = parameters.filter((p) => (p.needed || p.many) && values.includes(p.name));
    setGiven(Object.fromEntries(same.map((p) => [p.name, p.name])));
    setList(same.some((p) => p.many) && lists.length ? together(lists[0]!) : undefined);
  };
  const missing = parts.parameters.filter((p) => p.needed && given[p.name] === undefined).map((p) => p.name);
  const problem = !type
    ? 'Choose the type that gets the field.'
    : !FIELD.test(field)
      ? 'Give the field a name of letters, digits and _.'
      : taken.some((j) => j.type === type && j.field === field)
        ? `${type} has a joined field ${field} already.`
        : !operation
          ? 'Choose the operation that resolves it.'
          : missing.length
            ? `${operation} cannot be called without ${missing.join(', ')}.`
            : undefined;
  const make = (): Join => ({
    type,
    field,
    operation,
    with: { ...given },
    ...(many && list && { list }),
  });
  return (
    <form
      className="column graph-join-form"
      aria-label={join ? `The join ${join.type}.${join.field}` : 'A new joined field'}
      onSubmit={(e) => {
        e.preventDefault();
        if (!problem) onDone(make());
      }}
    >
      <div className="row" style={{ gap: 8, flexWrap: 'wrap' }}>
        <Search
          label="Type that gets the field"
          placeholder="type"
          options={types}
          value={type}
          width={230}
          onChange={(v) => {
            setType(v);
            setGiven({});
          }}
        />
        <span className="soft">gets the field</span>
        <TextField
          value={field}
          error={field !== '' && !FIELD.test(field)}
          onChange={(e) => setField(e.target.value)}
          placeholder="name"
          slotProps={{ htmlInput: { 'aria-label': 'Name of the joined field', className: 'mono' } }}
          sx={{ width: 170 }}
        />
        <span className="soft">from</span>
        <Search
          label="Operation that resolves it"
          placeholder="operation"
          options={operations}
          value={operation}
          width={250}
          onChange={chooseOperation}
        />
      </div>
      {type &&
        parts.parameters.map((p) => (
          <div className="row" key={p.name} style={{ gap: 8 }}>
            <span className="mono ellipsis" style={{ width: 230 }}>
              {p.name}
              {p.needed && <span className="soft"> needed</span>}
              {p.many && <span className="soft"> takes many</span>}
            </span>
            <ChoiceRow
              hideLabel
              label={`${p.name} of ${operation}`}
              width={340}
              value={given[p.name] ?? ''}
              options={[
                ['', 'nothing'],
                ...valuesWith(values, given[p.name]).map((v) => [v, `${v} of ${type}`] as const),
              ]}
              onChange={(v) => {
                const { [p.name]: _old, ...rest } = given;
                setGiven(v === '' ? rest : { ...rest, [p.name]: v });
              }}
            />
          </div>
        ))}
      {many && parts.lists.length > 0 && (
        <div className="row" style={{ gap: 8, flexWrap: 'wrap' }}>
          <ChoiceRow
            hideLabel
            label="How many look-ups go in one call"
            width={230}
            value={list ? 'together' : 'each'}
            options={[
              ['each', 'one call for each value'],
              ['together', 'many values in one call'],
            ]}
            onChange={(v) => setList(v === 'each' ? undefined : together(parts.lists[0]!))}
          />
          {list && (
            <>
              {parts.lists.length > 1 && (
                <ChoiceRow
                  hideLabel
                  label="List of the reply"
                  width={170}
                  value={list.items ?? ''}
                  options={parts.lists.map((l) => [l.items, l.items || 'the reply'] as const)}
                  onChange={(items) => {
                    const { items: _i, ...rest } = list;
                    setList({
                      ...rest,
                      ...(items && { items }),
                      by: parts.lists.find((l) => l.items === items)!.by[0]!,
                    });
                  }}
                />
              )}
              <span className="soft">told apart by</span>
              <ChoiceRow
                hideLabel
                label="What tells an item from another"
                width={170}
                value={list.by}
                options={(at?.by ?? [list.by]).map((b) => [b, b] as const)}
                onChange={(by) => setList({ ...list, by })}
              />
              <span className="soft">up to</span>
              <NumberRow
                hideLabel
                label="Values of one call"
                width={90}
                least={1}
                most={1000}
                placeholder="100"
                value={list.most}
                onChange={(most) => {
                  const { most: _m, ...rest } = list;
                  setList({ ...rest, ...(most !== undefined && { most }) });
                }}
              />
              <ChoiceRow
                hideLabel
                label="What the field holds"
                width={190}
                value={list.all ? 'all' : 'first'}
                options={[
                  ['first', 'the first that has it'],
                  ['all', 'all that have it'],
                ]}
                onChange={(v) => {
                  const { all: _a, ...rest } = list;
                  setList({ ...rest, ...(v === 'all' && { all: true }) });
                }}
              />
            </>
          )}
        </div>
      )}
      <div className="row" style={{ gap: 12 }}>
        <Button type="submit" variant="contained" disabled={problem !== undefined}>
          {join ? 'Keep the change' : 'Join it'}
        </Button>
        <Button onClick={onLeave}>Leave it</Button>
        {problem && <span className="soft">{problem}</span>}
      </div>
    </form>
  );
}

const together = ({ items, by }: JoinParts['lists'][number]): NonNullable<Join['list']> => ({
  by: by[0]!,
  ...(items && { items }),
});

/** Also what was written by hand and is not offered. */
const valuesWith = (values: readonly string[], given: string | undefined): readonly string[] =>
  given === undefined || values.includes(given) ? values : [...values, given];
