'use client';
import { suggestCredential, type CredentialDocument, type SecurityScheme } from '@hinge/core';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import Select from '@mui/material/Select';
import { useState } from 'react';
import { ChoiceRow, TextRow } from '../fold/fields';
import { useAct } from '../callers/use-act';
import { SecretCells } from './secret-cells';
import type { SecretState } from './secrets';
import { ListRow } from '../fold/list-row';

const KINDS = {
  basic: 'name and password',
  key: 'a key',
  bearer: 'a fixed token',
  client: 'a token of an issuer',
  'username-token': 'name and password in the SOAP header',
} as const;
type Kind = CredentialDocument['kind'];
const NEW: Readonly<Record<Kind, (backend: string) => CredentialDocument>> = {
  basic: (b) => ({ kind: 'basic', user: 'user', secret: `${b}-password` }),
  key: (b) => ({ kind: 'key', in: 'header', name: 'X-API-Key', secret: `${b}-key` }),
  bearer: (b) => ({ kind: 'bearer', secret: `${b}-token` }),
  client: (b) => ({
    kind: 'client',
    tokenUrl: 'https://issuer.example/token',
    clientId: 'client',
    secret: `${b}-client-secret`,
  }),
  'username-token': (b) => ({ kind: 'username-token', user: 'user', secret: `${b}-password` }),
};
const SECRET_WORDS: Readonly<Record<Kind, string>> = {
  basic: 'Password',
  key: 'Key',
  bearer: 'Token',
  client: 'Client secret',
  'username-token': 'Password',
};

interface Props {
  readonly backend: string;
  readonly kept: readonly CredentialDocument[];
  readonly states: readonly SecretState[];
  readonly environments: readonly { name: string; title: string }[];
  readonly schemes: readonly SecurityScheme[];
  readonly soap: boolean;
}

/** What the gateway shows to a backend. The kinds are released with APIs; the values belong to environments and are never shown again. */
export function BackendCredentials({ backend, kept, states, environments, schemes, soap }: Props) {
  const [rows, setRows] = useState<readonly CredentialDocument[]>(kept);
  const { act, busy, told } = useAct();
  const changed = JSON.stringify(rows) !== JSON.stringify(kept);
  const set = (i: number, c: CredentialDocument) => setRows(rows.map((r, k) => (k === i ? c : r)));
  const asked = schemes.flatMap((s) => {
    const suggestion = suggestCredential(s, backend);
    return suggestion && rows.some((r) => r.kind === suggestion.kind) ? [] : [{ scheme: s, suggestion }];
  });
  return (
    <section className="frame column" aria-label="Credentials" style={{ padding: 12, gap: 8 }}>
      <div className="row">
        <h2 style={{ margin: 0 }}>Credentials</h2>
        <span className="soft">what the gateway shows to this backend; no caller and no trace ever sees them</span>
        <span className="grow" />
        <Select
          value=""
          displayEmpty
          onChange={(e) => setRows([...rows, NEW[e.target.value as Kind](backend)])}
          renderValue={() => 'Add …'}
          slotProps={{ input: { 'aria-label': 'Add credentials' } }}
          sx={{ width: 90 }}
        >
          {(Object.keys(KINDS) as Kind[])
            .filter((k) => soap || k !== 'username-token')
            .map((k) => (
              <MenuItem key={k} value={k}>
                {KINDS[k]}
              </MenuItem>
            ))}
        </Select>
      </div>
      {asked.map(({ scheme, suggestion }) => (
        <div key={scheme.name} className="row">
          <span className="brass">The contract asks for {wordsOf(scheme)}.</span>
          <span className="soft">{scheme.documentation}</span>
          {suggestion && (
            <button className="plain spruce" onClick={() => setRows([...rows, suggestion])}>
              Use it
            </button>
          )}
        </div>
      ))}
      {!rows.length && !asked.length && <span className="soft">None: calls go out without any.</span>}
      {rows.map((c, i) => (
        <div key={i} className="column" style={{ gap: 6, borderTop: '1px solid var(--hairline)', paddingTop: 8 }}>
          <div className="row" style={{ gap: 8, flexWrap: 'wrap' }}>
            <strong style={{ width: 150 }}>{KINDS[c.kind]}</strong>
            <Settings value={c} onChange={(n) => set(i, n)} />
            <span className="grow" />
            <button
              className="plain rust"
              aria-label={`Remove ${KINDS[c.kind]}`}
              onClick={() => setRows(rows.filter((_, k) => k !== i))}
            >
              Remove
            </button>
          </div>
          <SecretCells label={SECRET_WORDS[c.kind]} name={c.secret} states={states} environments={environments} />
        </div>
      ))}
      {(changed || told) && (
        <div className="row">
          <Button
            variant="outlined"
            disabled={!changed || busy}
            onClick={() => void act('POST', `/api/backends/${backend}/credentials`, { credentials: rows })}
          >
            Save credentials
          </Button>
          {changed && <span className="soft">APIs carry them from their next release on.</span>}
          {told && <span className="rust">{told}</span>}
        </div>
      )}
    </section>
  );
}

function wordsOf(s: SecurityScheme): string {
  switch (s.kind) {
    case 'basic':
      return KINDS.basic;
    case 'bearer':
      return 'a token in Authorization';
    case 'key':
      return `a key, ${s.parameter} in ${s.in}`;
    case 'client':
      return `a token of ${s.tokenUrl}`;
    case 'other':
      return `${s.words}, which the gateway cannot do by itself`;
  }
}

const some = (text: string) => text.trim() !== '';
const PLACES = [
  ['header', 'in a header field'],
  ['query', 'in the query'],
  ['cookie', 'in a cookie'],
] as const;

function Settings({ value: c, onChange }: { value: CredentialDocument; onChange: (c: CredentialDocument) => void }) {
  switch (c.kind) {
    case 'basic':
      return (
        <TextRow
          label="Name"
          hideLabel
          width={200}
          value={c.user}
          accept={some}
          onChange={(user) => onChange({ ...c, user: user! })}
        />
      );
    case 'bearer':
      return <span className="soft">in Authorization</span>;
    case 'key':
      return (
        <>
          <ChoiceRow
            label="Where the key stands"
            hideLabel
            width={150}
            value={c.in}
            options={PLACES}
            onChange={(place) => onChange({ ...c, in: place })}
          />
          <TextRow
            label="Name of the key"
            hideLabel
            mono
            width={200}
            value={c.name}
            accept={(t) => /^[!#$%&'*+.^_`|~A-Za-z0-9-]+$/.test(t)}
            onChange={(name) => onChange({ ...c, name: name! })}
          />
        </>
      );
    case 'client':
      return (
        <>
          <TextRow
            label="Client id"
            hideLabel
            width={140}
            value={c.clientId}
            placeholder="client id"
            accept={some}
            onChange={(clientId) => onChange({ ...c, clientId: clientId! })}
          />
          <TextRow
            label="Address that gives tokens"
            hideLabel
            mono
            width={340}
            value={c.tokenUrl}
            accept={(t) => /^https?:\/\/[^/]/.test(t)}
            onChange={(tokenUrl) => onChange({ ...c, tokenUrl: tokenUrl! })}
          />
          <ListRow
            label="Scopes, with commas"
            hideLabel
            mono
            blanks
            width={180}
            values={c.scopes}
            placeholder="scopes: none"
            onChange={(scopes) => {
              const { scopes: _, ...rest } = c;
              onChange(scopes ? { ...rest, scopes } : rest);
            }}
          />
        </>
      );
    case 'username-token':
      return (
        <>
          <TextRow
            label="Name"
            hideLabel
            width={200}
            value={c.user}
            accept={some}
            onChange={(user) => onChange({ ...c, user: user! })}
          />
          <ChoiceRow
            label="How the password is sent"
            hideLabel
            width={190}
            value={c.digest ? 'digest' : 'text'}
            options={[
              ['text', 'the password itself'],
              ['digest', 'a digest of it'],
            ]}
            onChange={(how) => onChange({ ...c, digest: how === 'digest' })}
          />
        </>
      );
  }
}
