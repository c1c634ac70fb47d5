'use client';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { joinWords, openJoins, type Finding, type FlowDocument, type Join } from '@hinge/core';
import Link from 'next/link';
import { useMemo, useState } from 'react';
import { JoinForm } from './join-form';

interface Props {
  readonly slug: string;
  readonly document: FlowDocument;
  /** Of the graph. */
  readonly findings: readonly Finding[];
  readonly readOnly?: boolean;
  readonly onChange: (document: FlowDocument) => void;
}

/** Above so many, one looks for a field instead of reading all of them. */
const MANY = 12;
const SHOWN = 60;

/** Fields of one type that an operation of another resolves: what there is, what names and types speak for, and a form for any other. */
export function JoinedFields({ slug, document, findings, readOnly, onChange }: Props) {
  const joins = document.graph?.joins ?? [];
  const suggested = useMemo(() => openJoins(document), [document]);
  const [open, setOpen] = useState<number | 'new'>();
  const [words, setWords] = useState('');
  const [all, setAll] = useState(false);
  const put = (next: readonly Join[]) => {
    const { joins: _joins, ...rest } = document.graph ?? {};
    onChange({ ...document, graph: { ...rest, ...(next.length > 0 && { joins: [...next] }) } });
    setOpen(undefined);
  };
  const fits = (j: Join) => `${j.type}.${j.field} ${j.operation}`.toLowerCase().includes(words.toLowerCase());
  const shown = joins.map((j, n) => [j, n] as const).filter(([j]) => fits(j));
  const offered = suggested.filter(fits);
  return (
    <section aria-label="Joined fields" className="column graph-joins" style={{ gap: 0 }}>
      <div className="row" style={{ gap: 12, marginBottom: 4 }}>
        <h3>Joined fields</h3>
        <span className="soft">a field of one type that an operation of another resolves</span>
        <span className="grow" />
        {joins.length + suggested.length > MANY && (
          <TextField
            value={words}
            onChange={(e) => setWords(e.target.value)}
            placeholder="type, field or operation"
            slotProps={{ htmlInput: { 'aria-label': 'Find a joined field' } }}
            sx={{ width: 190 }}
          />
        )}
        {!readOnly && open === undefined && (
          <Button variant="outlined" onClick={() => setOpen('new')}>
            Join a field
          </Button>
        )}
      </div>
      {open === 'new' && (
        <JoinForm
          document={document}
          taken={joins}
          onDone={(j) => put([...joins, j])}
          onLeave={() => setOpen(undefined)}
        />
      )}
      {!joins.length && !suggested.length && open === undefined && (
        <div className="soft graph-join">No field is joined, and no names speak for one.</div>
      )}
      {shown.slice(0, SHOWN).map(([join, n]) =>
        open === n ? (
          <JoinForm
            key={n}
            document={document}
            taken={joins.filter((_j, i) => i !== n)}
            join={join}
            onDone={(j) => put(joins.map((old, i) => (i === n ? j : old)))}
            onLeave={() => setOpen(undefined)}
          />
        ) : (
          <div key={n}>
            <div className="graph-join">
              <span className="mono ellipsis" title={`${join.type}.${join.field}`}>
                <span className="soft">{join.type}.</span>
                {join.field}
              </span>
              <Link className="ellipsis" href={`/apis/${slug}/${encodeURIComponent(join.operation)}`}>
                {join.operation}
              </Link>
              <span className="soft ellipsis" title={joinWords(join)}>
                {joinWords(join)}
              </span>
              {!readOnly && (
                <span className="row" style={{ gap: 14, justifyContent: 'flex-end' }}>
                  <button
                    className="plain spruce"
                    aria-label={`Change the join ${join.type}.${join.field}`}
                    onClick={() => setOpen(n)}
                  >
                    Change
                  </button>
                  <button
                    className="plain rust"
                    aria-label={`Remove the join ${join.type}.${join.field}`}
                    onClick={() => put(joins.filter((_j, i) => i !== n))}
                  >
                    Remove
                  </button>
                </span>
              )}
            </div>
            {findings
              .filter((f) => f.place.pointer === `/graph/joins/${n}`)
              .map((f) => (
                <div key={f.message} className="rust">
                  {f.message}
                </div>
              ))}
          </div>
        ),
      )}
      {!readOnly &&
        offered.slice(0, all ? SHOWN : 4).map((join) => (
          <div className="graph-join" key={`${join.type}.${join.field}`}>
            <span className="mono ellipsis soft" title={`${join.type}.${join.field}`}>
              {join.type}.{join.field}
            </span>
            <span className="soft ellipsis">{join.operation}</span>
            <span className="soft ellipsis" title={joinWords(join)}>
              could be {joinWords(join)}
            </span>
            <span className="row" style={{ justifyContent: 'flex-end' }}>
              <button
                className="plain spruce"
                aria-label={`Add the join ${join.type}.${join.field}`}
                onClick={() => put([...joins, join])}
              >
                Add
              </button>
            </span>
          </div>
        ))}
      {!readOnly && offered.length > 4 && !all && (
        <div className="graph-join">
          <button className="plain soft" style={{ textAlign: 'left' }} onClick={() => setAll(true)}>
            {offered.length - 4} more that names and types speak for
          </button>
        </div>
      )}
      {shown.length > SHOWN && (
        <div className="graph-join soft">{shown.length - SHOWN} more: look for one by its name</div>
      )}
    </section>
  );
}
