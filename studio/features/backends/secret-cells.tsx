'use client';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { Moment } from '../shell/moment';
import { useAct } from '../callers/use-act';
import type { SecretState } from './secrets';

interface Props {
  /** What it is: Password, Key. */
  readonly label: string;
  readonly name: string;
  readonly states: readonly SecretState[];
  readonly environments: readonly { name: string; title: string }[];
}

/** One secret in every environment: set or not, by whom and when. A value is typed in and never shown again. */
export function SecretCells({ label, name, states, environments }: Props) {
  return (
    <div className="row" style={{ gap: '4px 24px', flexWrap: 'wrap' }}>
      {environments.map((e) => (
        <SecretCell
          key={`${e.name} ${name}`}
          label={label}
          name={name}
          environment={e.name}
          state={states.find((s) => s.environment === e.name && s.name === name)}
        />
      ))}
    </div>
  );
}

function SecretCell({
  label,
  name,
  environment,
  state,
}: Omit<Props, 'states' | 'environments'> & { environment: string; state?: SecretState }) {
  const { act, busy, told } = useAct();
  const [typed, setTyped] = useState<string>();
  const where = `${label} in ${environment}`;
  const save = async () => {
    if (await act('POST', '/api/secrets', { environment, name, value: typed })) setTyped(undefined);
  };
  return (
    <form
      className="row"
      style={{ minHeight: 28 }}
      onSubmit={(e) => {
        e.preventDefault();
        if (typed) void save();
      }}
    >
      <span className="soft">{where}</span>
      {typed !== undefined ? (
        <>
          <TextField
            autoFocus
            type="password"
            autoComplete="off"
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
            onKeyDown={(e) => e.key === 'Escape' && setTyped(undefined)}
            slotProps={{ htmlInput: { 'aria-label': where } }}
            sx={{ width: 200 }}
          />
          <button className="plain spruce" type="submit" disabled={busy || !typed}>
            Set
          </button>
          <button className="plain soft" type="button" onClick={() => setTyped(undefined)}>
            Cancel
          </button>
        </>
      ) : (
        <>
          {state ? (
            <span className="spruce">
              set <Moment at={state.changedAt} />, {state.changedBy}
            </span>
          ) : (
            <span className="rust">not set</span>
          )}
          <button
            className="plain spruce"
            type="button"
            aria-label={state ? `Replace the ${where}` : `Set the ${where}`}
            onClick={() => setTyped('')}
          >
            {state ? 'Replace' : 'Set …'}
          </button>
          {state && (
            <button
              className="plain rust"
              type="button"
              disabled={busy}
              aria-label={`Remove the ${where}`}
              onClick={() => void act('DELETE', '/api/secrets', { environment, name })}
            >
              Remove
            </button>
          )}
        </>
      )}
      {told && <span className="rust">{told}</span>}
    </form>
  );
}
