'use client';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import MenuItem from '@mui/material/MenuItem';
import Select from '@mui/material/Select';
import TextField from '@mui/material/TextField';
import {
  PLANNED_METHODS,
  placesFor,
  planProblems,
  type FieldPlace,
  type PlannedField,
  type PlannedOperation,
} from '@hinge/core';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useMemo, useState } from 'react';
import type { RequestError } from '../../lib/client';
import { send } from '../../lib/client';

interface Props {
  readonly backend: string;
  readonly backendTitle: string;
  readonly plan: PlannedOperation[];
  readonly name: string;
  readonly base: string;
  readonly slug: string;
}

/** One row for each operation, every cell can be changed, clashes are told at their row. */
export function DraftReview(props: Props) {
  const router = useRouter();
  const [plan, setPlan] = useState(props.plan);
  const [name, setName] = useState(props.name);
  const [base, setBase] = useState(props.base);
  const [told, setTold] = useState('');
  const [busy, setBusy] = useState(false);
  const [filter, setFilter] = useState('');
  const [page, setPage] = useState(0);
  const [onlyWrong, setOnlyWrong] = useState(false);
  const problems = useMemo(() => planProblems(plan), [plan]);
  const change = (operation: string, part: Partial<PlannedOperation>) =>
    setPlan(plan.map((r) => (r.operation === operation ? { ...r, ...part } : r)));
  const changeField = (row: PlannedOperation, target: string, part: Partial<PlannedField>) =>
    change(row.operation, { fields: row.fields.map((f) => (f.target === target ? { ...f, ...part } : f)) });
  const taken = plan.filter((r) => r.include).length;

  const accept = async () => {
    setBusy(true);
    setTold('');
    try {
      const made = await send<{ slug: string }>('POST', '/api/apis', {
        backend: props.backend,
        name,
        base,
        slug: props.slug,
        plan,
      });
      router.push(`/apis/${made.slug}`);
    } catch (error) {
      setTold((error as RequestError).message);
      setBusy(false);
    }
  };

  const wanted = filter.trim().toLowerCase();
  const shown = plan.filter(
    (r) =>
      (!onlyWrong || problems.has(r.operation)) &&
      [r.operation, r.id, r.path, r.summary].some((t) => t.toLowerCase().includes(wanted)),
  );
  const first = Math.min(page * PAGE, Math.max(0, Math.floor((shown.length - 1) / PAGE) * PAGE));
  return (
    <div className="sheet" style={{ maxWidth: 1260 }}>
      <div className="title">
        <span className="soft">
          <Link href={`/backends/${props.backend}`}>{props.backendTitle}</Link> /
        </span>
        <h1>Draft an API</h1>
        <span className="soft">what callers will see; every cell can be changed</span>
        <span className="grow" />
        {problems.size > 0 && (
          <span className="rust">
            {problems.size === 1 ? '1 row needs a look' : `${problems.size} rows need a look`}
          </span>
        )}
        <Button variant="contained" disabled={busy || problems.size > 0 || taken === 0} onClick={() => void accept()}>
          {busy ? 'Making it …' : `Make ${taken} operation${taken === 1 ? '' : 's'}`}
        </Button>
      </div>
      <div className="row" style={{ gap: 16 }}>
        <label className="row soft">
          Name{' '}
          <TextField
            value={name}
            onChange={(e) => setName(e.target.value)}
            slotProps={{ htmlInput: { 'aria-label': 'Name of the API' } }}
          />
        </label>
        <label className="row soft">
          Base path{' '}
          <TextField
            value={base}
            onChange={(e) => setBase(e.target.value)}
            slotProps={{ htmlInput: { className: 'mono', 'aria-label': 'Base path' } }}
          />
        </label>
      </div>
      {told && (
        <div className="told" role="alert">
          {told}
        </div>
      )}
      {plan.length > PAGE && (
        <div className="row" style={{ gap: 16 }}>
          <TextField
            placeholder="Find an operation"
            value={filter}
            onChange={(e) => {
              setFilter(e.target.value);
              setPage(0);
            }}
            slotProps={{ htmlInput: { 'aria-label': 'Find an operation' } }}
            sx={{ width: 280 }}
          />
          {problems.size > 0 && (
            <button className="plain rust" aria-pressed={onlyWrong} onClick={() => setOnlyWrong(!onlyWrong)}>
              {onlyWrong ? 'show all rows' : 'show only rows that need a look'}
            </button>
          )}
          <span className="grow" />
          <span className="soft">
            {shown.length === 0 ? 'none' : `${first + 1} to ${Math.min(first + PAGE, shown.length)} of ${shown.length}`}
          </span>
          <Button disabled={first === 0} onClick={() => setPage(page - 1)}>
            Before
          </Button>
          <Button disabled={first + PAGE >= shown.length} onClick={() => setPage(page + 1)}>
            Next
          </Button>
        </div>
      )}
      <div className="frame">
        <div className="scroll">
          <table aria-label="Operations of the draft">
            <thead>
              <tr>
                <th />
                <th>Backend operation</th>
                <th>Method</th>
                <th>Path</th>
                <th>Name</th>
                <th>Status</th>
                <th>Fields</th>
              </tr>
            </thead>
            <tbody>
              {shown.slice(first, first + PAGE).map((row) => (
                <Row
                  key={row.operation}
                  row={row}
                  problems={problems.get(row.operation) ?? []}
                  change={(part) => change(row.operation, part)}
                  changeField={(target, part) => changeField(row, target, part)}
                />
              ))}
            </tbody>
          </table>
        </div>
      </div>
    </div>
  );
}

/** Rows drawn at once: a row has a dozen fields. */
const PAGE = 50;

interface RowProps {
  readonly row: PlannedOperation;
  readonly problems: readonly string[];
  readonly change: (part: Partial<PlannedOperation>) => void;
  readonly changeField: (target: string, part: Partial<PlannedField>) => void;
}

function Row({ row, problems, change, changeField }: RowProps) {
  const label = (what: string) => `${what} of ${row.operation}`;
  const cannot = row.note?.startsWith('cannot be called') ?? false;
  return (
    <tr style={{ opacity: row.include ? 1 : 0.55 }}>
      <td>
        <Checkbox
          checked={row.include}
          disabled={cannot}
          onChange={(e) => change({ include: e.target.checked })}
          slotProps={{ input: { 'aria-label': label('Include') } }}
        />
      </td>
      <td style={{ paddingTop: 9 }}>
        {row.operation}
        {(row.note ?? problems.length > 0) && (
          <div style={{ maxWidth: 190 }}>
            {row.note && <div className="soft">{row.note}</div>}
            {problems.map((p) => (
              <div key={p} className="rust">
                {p}
              </div>
            ))}
          </div>
        )}
      </td>
      <td>
        <Select
          value={row.method}
          onChange={(e) => change({ method: e.target.value })}
          className="method"
          sx={{ width: 92, font: "500 12px 'Sometype Mono Variable'" }}
          slotProps={{ input: { 'aria-label': label('Method') } }}
        >
          {PLANNED_METHODS.map((m) => (
            <MenuItem key={m} value={m} className="mono">
              {m}
            </MenuItem>
          ))}
        </Select>
      </td>
      <td>
        <TextField
          value={row.path}
          onChange={(e) => change({ path: e.target.value })}
          slotProps={{ htmlInput: { className: 'mono', 'aria-label': label('Path') } }}
          sx={{ width: 250 }}
        />
      </td>
      <td>
        <TextField
          value={row.id}
          onChange={(e) => change({ id: e.target.value })}
          slotProps={{ htmlInput: { 'aria-label': label('Name') } }}
          sx={{ width: 150 }}
        />
      </td>
      <td>
        <TextField
          value={row.status}
          onChange={(e) => change({ status: Number(e.target.value.replace(/\D/g, '')) || 0 })}
          slotProps={{ htmlInput: { className: 'mono', inputMode: 'numeric', 'aria-label': label('Status') } }}
          sx={{ width: 58 }}
        />
      </td>
      <td>
        <div style={{ display: 'flex', flexWrap: 'wrap', gap: '4px 14px' }}>
          {row.fields.map((f) => (
            <label
              key={f.target}
              className="row"
              style={{ gap: 5 }}
              title={`${f.words}${f.description ? `. ${f.description}` : ''}`}
            >
              <span className="mono">
                {f.name}
                {f.required ? (
                  <span className="brass" title="needed">
                    {' '}
                    *
                  </span>
                ) : (
                  ''
                )}
              </span>
              <select
                aria-label={`Place of ${f.name} in ${row.operation}`}
                value={f.place}
                onChange={(e) => changeField(f.target, { place: e.target.value as FieldPlace })}
                style={{
                  font: 'inherit',
                  fontSize: 12,
                  color: 'var(--soft)',
                  background: 'transparent',
                  border: '1px solid var(--hairline)',
                  borderRadius: 4,
                  padding: '0 2px',
                }}
              >
                {[...new Set([f.place, ...placesFor(row, f)])].map((p) => (
                  <option key={p} value={p}>
                    {p}
                  </option>
                ))}
              </select>
            </label>
          ))}
          {!row.fields.length && <span className="soft">none</span>}
        </div>
      </td>
    </tr>
  );
}
