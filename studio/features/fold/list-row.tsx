'use client';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { Field } from './fields';

interface ListProps {
  readonly label: string;
  /** Where the caption stands elsewhere and names the field by this id. */
  readonly id?: string;
  readonly values: readonly string[] | undefined;
  readonly placeholder?: string;
  readonly readOnly?: boolean;
  readonly mono?: boolean;
  readonly width?: number;
  readonly hideLabel?: boolean;
  /** Blanks part the items as well as commas: they have none in them. */
  readonly blanks?: boolean;
  /** An empty list is not taken. */
  readonly needed?: boolean;
  readonly accept?: (item: string) => boolean;
  /** Undefined for none. */
  readonly onChange: (values: string[] | undefined) => void;
}

/** The items of a text: without blanks around them, without empty ones. */
export const itemsOf = (text: string, blanks = false): string[] =>
  text
    .split(blanks ? /[\s,]+/ : ',')
    .map((t) => t.trim())
    .filter(Boolean);

const same = (a: readonly string[], b: readonly string[]): boolean =>
  a.length === b.length && a.every((x, i) => x === b[i]);

/**
 * A list in one field. What is typed stays as it is typed, as long as it means the same; what is not accepted stays on the screen, marked, and is
 * not taken.
 */
export function ListRow({
  label,
  id: captioned,
  values,
  blanks,
  needed,
  accept,
  hideLabel,
  onChange,
  ...p
}: ListProps) {
  const [typed, setTyped] = useState<string>();
  const items = typed === undefined ? [] : itemsOf(typed, blanks);
  const wrong = accept ? items.filter((i) => !accept(i)) : [];
  const missing = typed !== undefined && needed === true && !items.length;
  const bad = wrong.length > 0 || missing;
  const shown = typed !== undefined && (bad || same(items, values ?? [])) ? typed : (values?.join(', ') ?? '');
  const field = (id: string) => (
    <TextField
      id={id}
      disabled={p.readOnly}
      value={shown}
      error={bad}
      helperText={wrong.length ? `not taken: ${wrong.join(', ')}` : undefined}
      placeholder={p.placeholder}
      onBlur={() => !bad && setTyped(undefined)}
      onChange={(e) => {
        const next = itemsOf(e.target.value, blanks);
        setTyped(e.target.value);
        if (accept && !next.every(accept)) return;
        if (needed && !next.length) return;
        if (!same(next, values ?? [])) onChange(next.length ? next : undefined);
      }}
      slotProps={{ htmlInput: { className: p.mono ? 'mono' : undefined, 'aria-label': hideLabel ? label : undefined } }}
      sx={p.width === undefined ? { flex: 1 } : { width: p.width }}
    />
  );
  if (captioned !== undefined) return field(captioned);
  return hideLabel ? field(label) : <Field label={label}>{field}</Field>;
}
