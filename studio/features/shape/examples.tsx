'use client';
import type { OperationDocument } from '@hinge/core';
import { ConditionEditor } from '../fold/condition-editor';
import { JsonRow, NumberRow, RowMoves, TextRow } from '../fold/fields';

/** Examples answer as a mock before any backend exists, and stand in the documentation for ever. */
export function Examples({
  operation: o,
  readOnly,
  onChange,
}: {
  operation: OperationDocument;
  readOnly?: boolean;
  onChange: (o: OperationDocument) => void;
}) {
  const examples = Object.entries(o.reply?.examples ?? {});
  const put = (next: typeof examples) =>
    onChange({ ...o, reply: { ...o.reply, examples: next.length ? Object.fromEntries(next) : undefined } });
  const set = (i: number, name: string, e: (typeof examples)[number][1]) =>
    put(examples.map((x, n) => (n === i ? [name, e] : x)));
  return (
    <>
      <h2>Examples of the reply</h2>
      <div className="soft">
        A mock answers with the first whose condition holds, else with the first, else from the schema.
      </div>
      {examples.map(([name, e], i) => (
        <div key={i} className="pin-line">
          <div className="row">
            <TextRow
              hideLabel
              mono
              width={170}
              label={`Name of example ${i + 1}`}
              value={name}
              readOnly={readOnly}
              onChange={(t) => t && !examples.some(([n]) => n === t) && set(i, t, e)}
            />
            <NumberRow
              hideLabel
              label={`Status of example ${name}`}
              width={90}
              value={e.status}
              least={200}
              most={599}
              placeholder={String(o.reply?.status ?? 200)}
              readOnly={readOnly}
              onChange={(status) => set(i, name, { ...e, status })}
            />
            <TextRow
              hideLabel
              label={`Summary of example ${name}`}
              value={e.summary}
              placeholder="what it shows"
              readOnly={readOnly}
              onChange={(summary) => set(i, name, { ...e, summary })}
            />
            <RowMoves
              index={i}
              count={examples.length}
              what={`example ${name}`}
              readOnly={readOnly}
              onRemove={() => put(examples.filter((_x, n) => n !== i))}
            />
          </div>
          <JsonRow
            label={`Value of example ${name}`}
            lines={4}
            value={e.value}
            readOnly={readOnly}
            onChange={(value) => set(i, name, { ...e, value: value ?? null })}
          />
          {e.when !== undefined ? (
            <ConditionEditor
              label={`When example ${name} is chosen`}
              value={e.when}
              rows={[]}
              readOnly={readOnly}
              onChange={(when) => set(i, name, { ...e, when })}
            />
          ) : (
            !readOnly && (
              <button
                className="plain soft"
                onClick={() =>
                  set(i, name, {
                    ...e,
                    when: {
                      of: `path.${o.parameters?.find((x) => x.in === 'path')?.name ?? 'id'}`,
                      is: 'equals',
                      value: '',
                    },
                  })
                }
              >
                only when …
              </button>
            )
          )}
        </div>
      ))}
      {!readOnly && (
        <button
          className="plain spruce"
          onClick={() => put([...examples, [`example${examples.length + 1}`, { value: {} }]])}
        >
          Add an example
        </button>
      )}
    </>
  );
}
