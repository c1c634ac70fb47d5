'use client';
import MenuItem from '@mui/material/MenuItem';
import Select from '@mui/material/Select';
import TextField from '@mui/material/TextField';
import { useId, useState, type ReactNode } from 'react';
import type { TypeRow } from '@hinge/core';
import { ExpressionEditor } from './expression-editor';

/** A caption and its control. */
export function Field({ label, children }: { label: string; children: (id: string) => ReactNode }) {
  const id = useId();
  return (
    <>
      <label className="soft" htmlFor={id}>
        {label}
      </label>
      {children(id)}
    </>
  );
}

interface TextProps {
  readonly label: string;
  readonly value: string | undefined;
  readonly placeholder?: string;
  readonly readOnly?: boolean;
  readonly mono?: boolean;
  readonly width?: number;
  readonly hideLabel?: boolean;
  /** What is not accepted stays on the screen, marked, and is not taken. */
  readonly accept?: (value: string) => boolean;
  readonly onChange: (value: string | undefined) => void;
}

export function TextRow({ label, value, placeholder, readOnly, mono, width, hideLabel, accept, onChange }: TextProps) {
  const [typed, setTyped] = useState<string>();
  const bad = typed !== undefined && accept !== undefined && !accept(typed);
  const field = (id: string) => (
    <TextField
      id={id}
      disabled={readOnly}
      value={bad ? typed : (value ?? '')}
      error={bad}
      placeholder={placeholder}
      onBlur={() => setTyped((t) => (t !== undefined && accept && !accept(t) ? t : undefined))}
      onChange={(e) => {
        setTyped(e.target.value);
        if (accept && !accept(e.target.value)) return;
        onChange(e.target.value === '' ? undefined : e.target.value);
      }}
      slotProps={{ htmlInput: { className: mono ? 'mono' : undefined, 'aria-label': hideLabel ? label : undefined } }}
      sx={width === undefined ? { flex: 1 } : { width }}
    />
  );
  return hideLabel ? field(label) : <Field label={label}>{field}</Field>;
}

interface NumberProps {
  readonly label: string;
  readonly value: number | undefined;
  readonly least: number;
  readonly most: number;
  readonly placeholder?: string;
  readonly readOnly?: boolean;
  readonly hideLabel?: boolean;
  readonly width?: number;
  readonly onChange: (value: number | undefined) => void;
}

/** A whole number within bounds; what is out of them stays on the screen, marked, and is not taken. */
export function NumberRow({
  label,
  value,
  least,
  most,
  placeholder,
  readOnly,
  hideLabel,
  width = hideLabel ? 130 : 260,
  onChange,
}: NumberProps) {
  const [typed, setTyped] = useState<string>();
  const text = typed ?? (value === undefined ? '' : String(value));
  const n = Number(text);
  const bad = text !== '' && !(Number.isInteger(n) && n >= least && n <= most);
  const field = (id: string) => (
    <TextField
      id={id}
      disabled={readOnly}
      value={text}
      error={bad}
      helperText={bad ? `${least} to ${most}` : undefined}
      placeholder={placeholder}
      onBlur={() => !bad && setTyped(undefined)}
      onChange={(e) => {
        const t = e.target.value.trim();
        setTyped(t);
        const v = Number(t);
        if (t === '') onChange(undefined);
        else if (Number.isInteger(v) && v >= least && v <= most) onChange(v);
      }}
      slotProps={{
        htmlInput: { inputMode: 'numeric', className: 'mono', 'aria-label': hideLabel ? label : undefined },
      }}
      sx={{ width }}
    />
  );
  return hideLabel ? field(label) : <Field label={label}>{field}</Field>;
}

interface ChoiceProps<T extends string> {
  readonly label: string;
  readonly value: T;
  readonly options: readonly (readonly [value: T, words: string])[];
  readonly readOnly?: boolean;
  readonly width?: number | string;
  readonly hideLabel?: boolean;
  readonly onChange: (value: T) => void;
}

export function ChoiceRow<T extends string>({
  label,
  value,
  options,
  readOnly,
  width,
  hideLabel,
  onChange,
}: ChoiceProps<T>) {
  // What stands in the document is shown, also where it is none of what there is to choose.
  const all = value === '' || options.some(([v]) => v === value) ? options : [...options, [value, value] as const];
  return (
    <>
      {!hideLabel && <div className="soft">{label}</div>}
      <Select
        value={all.some(([v]) => v === value) ? value : ''}
        displayEmpty
        disabled={readOnly}
        onChange={(e) => onChange(e.target.value as T)}
        slotProps={{ input: { 'aria-label': label } }}
        sx={{ width: width ?? '100%', background: 'var(--leaf)' }}
      >
        {all.map(([v, words]) => (
          <MenuItem key={v} value={v}>
            {words}
          </MenuItem>
        ))}
      </Select>
    </>
  );
}

/** A small expression editor with a caption. */
export function ExpressionRow({
  label,
  value,
  rows,
  readOnly,
  hideLabel,
  onChange,
}: {
  label: string;
  value: string;
  rows: readonly TypeRow[];
  readOnly?: boolean;
  hideLabel?: boolean;
  onChange: (value: string) => void;
}) {
  return (
    <>
      {!hideLabel && <div className="soft">{label}</div>}
      <div className="pin-card small">
        <ExpressionEditor label={label} value={value} rows={rows} readOnly={readOnly} onChange={onChange} />
      </div>
    </>
  );
}

/** A JSON value as text; broken text stays on the screen and is not taken. */
export function JsonRow({
  label,
  value,
  readOnly,
  lines = 2,
  onChange,
}: {
  label: string;
  value: unknown;
  readOnly?: boolean;
  lines?: number;
  onChange: (value: unknown) => void;
}) {
  const [typed, setTyped] = useState<string>();
  const text = typed ?? (value === undefined ? '' : JSON.stringify(value, null, lines > 2 ? 2 : undefined));
  const mistake = jsonMistake(text);
  return (
    <Field label={label}>
      {(id) => (
        <TextField
          id={id}
          multiline
          minRows={1}
          maxRows={12}
          disabled={readOnly}
          value={text}
          error={mistake !== undefined}
          helperText={mistake}
          onBlur={() => mistake === undefined && setTyped(undefined)}
          onChange={(e) => {
            setTyped(e.target.value);
            if (e.target.value.trim() === '') onChange(undefined);
            else if (jsonMistake(e.target.value) === undefined) onChange(JSON.parse(e.target.value));
          }}
          slotProps={{ htmlInput: { className: 'mono' } }}
        />
      )}
    </Field>
  );
}

function jsonMistake(text: string): string | undefined {
  if (!text.trim()) return undefined;
  try {
    JSON.parse(text);
    return undefined;
  } catch (error) {
    return (error as Error).message;
  }
}

/** A line of a list with its own moves: up, down, away. */
export function RowMoves({
  index,
  count,
  what,
  readOnly,
  onMove,
  onRemove,
}: {
  index: number;
  count: number;
  what: string;
  readOnly?: boolean;
  onMove?: (to: number) => void;
  onRemove?: () => void;
}) {
  if (readOnly) return null;
  return (
    <span className="row-moves">
      {onMove && index > 0 && (
        <button className="plain soft" aria-label={`Move ${what} up`} onClick={() => onMove(index - 1)}>
          ↑
        </button>
      )}
      {onMove && index < count - 1 && (
        <button className="plain soft" aria-label={`Move ${what} down`} onClick={() => onMove(index + 1)}>
          ↓
        </button>
      )}
      {onRemove && (
        <button className="plain soft" aria-label={`Remove ${what}`} onClick={onRemove}>
          ×
        </button>
      )}
    </span>
  );
}

export const moved = <T,>(list: readonly T[], from: number, to: number): T[] => {
  const out = [...list];
  const [x] = out.splice(from, 1);
  out.splice(to, 0, x!);
  return out;
};
