'use client';
import TextField from '@mui/material/TextField';
import { passwordHash, type GuardDocument } from '@hinge/core';
import { useState } from 'react';
import { ChoiceRow, TextRow } from '../fold/fields';
import { ListRow } from '../fold/list-row';

type Of<K extends GuardDocument['kind']> = Extract<GuardDocument, { kind: K }>;
type Guard = Of<'cors' | 'token' | 'jwt' | 'basic' | 'signature' | 'headers'>;

interface Props<G> {
  readonly guard: G;
  readonly readOnly?: boolean;
  readonly onChange: (g: GuardDocument) => void;
}

const HEADER = /^[A-Za-z0-9!#$%&'*+.^_`|~-]+$/;

/** Settings of guards that look at credentials and headers. */
export function CredentialSettings({ guard, readOnly, onChange }: Props<Guard>) {
  switch (guard.kind) {
    case 'token':
      return <Token guard={guard} readOnly={readOnly} onChange={onChange} />;
    case 'jwt':
      return <Jwt guard={guard} readOnly={readOnly} onChange={onChange} />;
    case 'basic':
      return <Basic guard={guard} readOnly={readOnly} onChange={onChange} />;
    case 'cors':
      return <Cors guard={guard} readOnly={readOnly} onChange={onChange} />;
    case 'signature':
      return <Signature guard={guard} readOnly={readOnly} onChange={onChange} />;
    case 'headers':
      return <HeaderRules guard={guard} readOnly={readOnly} onChange={onChange} />;
  }
}

function Token({ guard: g, readOnly, onChange }: Props<Of<'token'>>) {
  return (
    <div className="guard-settings">
      <ListRow
        label="Scopes that are needed"
        mono
        blanks
        values={g.scopes}
        placeholder="none; plans give them"
        readOnly={readOnly}
        accept={(s) => /^[\x21\x23-\x5b\x5d-\x7e]{1,100}$/.test(s)}
        onChange={(scopes) => onChange({ ...g, scopes })}
      />
      <span className="soft">Apps get one for their id and secret: POST /oauth/token of the gateway.</span>
    </div>
  );
}

function Jwt({ guard: g, readOnly, onChange }: Props<Of<'jwt'>>) {
  return (
    <div className="guard-settings">
      <TextRow
        label="Issuer (iss)"
        mono
        value={g.issuer}
        readOnly={readOnly}
        accept={(t) => t.trim() !== ''}
        onChange={(issuer) => onChange({ ...g, issuer: issuer! })}
      />
      <TextRow
        label="Address of its keys (JWKS)"
        mono
        value={g.jwks}
        placeholder={g.keys ? `${g.keys.length} keys stand in the document` : 'https://login.example/keys'}
        readOnly={readOnly}
        accept={(t) => t === '' || URL.canParse(t)}
        onChange={(jwks) => onChange({ ...g, jwks })}
      />
      <ListRow
        label="Audience (aud), with commas"
        mono
        values={[g.audience ?? []].flat()}
        placeholder="any"
        readOnly={readOnly}
        onChange={(audience) => onChange({ ...g, audience })}
      />
      <ListRow
        label="Scopes that are needed"
        mono
        blanks
        values={g.scopes}
        placeholder="none"
        readOnly={readOnly}
        onChange={(scopes) => onChange({ ...g, scopes })}
      />
    </div>
  );
}

function Basic({ guard: g, readOnly, onChange }: Props<Of<'basic'>>) {
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const [busy, setBusy] = useState(false);
  const add = async () => {
    if (!name || name.includes(':') || password.length < 8) return;
    setBusy(true);
    const hash = await passwordHash(password);
    setBusy(false);
    onChange({ ...g, users: { ...g.users, [name]: hash } });
    setName('');
    setPassword('');
  };
  return (
    <div className="column grow" style={{ gap: 4 }}>
      {Object.keys(g.users).map((u) => (
        <div key={u} className="row">
          <span className="mono">{u}</span>
          {!readOnly && (
            <button
              className="plain rust"
              aria-label={`Remove the user ${u}`}
              onClick={() =>
                onChange({ ...g, users: Object.fromEntries(Object.entries(g.users).filter(([x]) => x !== u)) })
              }
            >
              remove
            </button>
          )}
        </div>
      ))}
      {!readOnly && (
        <div className="row">
          <TextField
            value={name}
            onChange={(e) => setName(e.target.value)}
            placeholder="name"
            slotProps={{ htmlInput: { 'aria-label': 'Name of a user', autoComplete: 'off' } }}
            sx={{ width: 150 }}
          />
          <TextField
            type="password"
            value={password}
            onChange={(e) => setPassword(e.target.value)}
            placeholder="password, 8 or more"
            slotProps={{ htmlInput: { 'aria-label': 'Password of the user', autoComplete: 'new-password' } }}
            sx={{ width: 180 }}
          />
          <button className="plain spruce" disabled={busy} onClick={() => void add()}>
            {busy ? 'hashing …' : 'Add'}
          </button>
          <span className="soft">only its hash is kept</span>
        </div>
      )}
    </div>
  );
}

function Cors({ guard: g, readOnly, onChange }: Props<Of<'cors'>>) {
  return (
    <div className="guard-settings">
      <ListRow
        label="Origins, with commas; * is any"
        mono
        needed
        values={g.origins}
        readOnly={readOnly}
        accept={(o) => o === '*' || /^https?:\/\/[^/\s?#]+$/.test(o)}
        onChange={(origins) => onChange({ ...g, origins: origins! })}
      />
      <ListRow
        label="Headers that pages may send"
        mono
        values={g.headers}
        placeholder="those asked for"
        readOnly={readOnly}
        accept={(h) => HEADER.test(h)}
        onChange={(headers) => onChange({ ...g, headers })}
      />
      <ChoiceRow
        label="Cookies and Authorization"
        value={g.credentials ? 'yes' : 'no'}
        options={[
          ['no', 'are not sent along'],
          ['yes', 'may be sent along'],
        ]}
        readOnly={readOnly}
        onChange={(v) => onChange({ ...g, credentials: v === 'yes' ? true : undefined })}
      />
    </div>
  );
}

function Signature({ guard: g, readOnly, onChange }: Props<Of<'signature'>>) {
  return (
    <div className="guard-settings">
      <TextRow
        label="Variable with the secret"
        mono
        value={g.secret}
        readOnly={readOnly}
        accept={(t) => t.trim() !== ''}
        onChange={(secret) => onChange({ ...g, secret: secret! })}
      />
      <TextRow
        label="Header"
        mono
        value={g.header}
        placeholder="X-Signature"
        readOnly={readOnly}
        accept={(t) => t === '' || HEADER.test(t)}
        onChange={(header) => onChange({ ...g, header })}
      />
      <TextRow
        label="Text before it"
        mono
        value={g.prefix}
        placeholder="none"
        readOnly={readOnly}
        onChange={(prefix) => onChange({ ...g, prefix })}
      />
      <ChoiceRow
        label="Algorithm"
        value={g.algorithm ?? 'sha256'}
        options={(['sha256', 'sha512', 'sha1'] as const).map((a) => [a, `HMAC ${a}`])}
        readOnly={readOnly}
        onChange={(algorithm) => onChange({ ...g, algorithm })}
      />
      <ChoiceRow
        label="Written as"
        value={g.encoding ?? 'hex'}
        options={[
          ['hex', 'hexadecimal'],
          ['base64', 'base64'],
        ]}
        readOnly={readOnly}
        onChange={(encoding) => onChange({ ...g, encoding })}
      />
    </div>
  );
}

function HeaderRules({ guard: g, readOnly, onChange }: Props<Of<'headers'>>) {
  const need = Object.entries(g.need ?? {});
  const rules = need.map(([name, values]) => (values.length ? `${name}: ${values.join(' | ')}` : name));
  const read = (all: readonly string[]) =>
    Object.fromEntries(
      all.map((one) => {
        const [name = '', values = ''] = one.split(/:(.*)/s);
        return [
          name.trim(),
          values
            .split('|')
            .map((v) => v.trim())
            .filter(Boolean),
        ];
      }),
    );
  return (
    <div className="guard-settings">
      <ListRow
        label="Headers that are needed, e.g. X-Office: TH-22 | TH-01"
        mono
        values={rules}
        placeholder="none"
        readOnly={readOnly}
        accept={(one) =>
          /^[^:]+(:\s*[^|\s][^|]*(\s*\|\s*[^|\s][^|]*)*)?$/.test(one) && HEADER.test(one.split(':')[0]!.trim())
        }
        onChange={(all) => onChange({ ...g, need: all && read(all) })}
      />
      <ListRow
        label="Headers that are refused"
        mono
        values={g.refuse}
        placeholder="none"
        readOnly={readOnly}
        accept={(h) => HEADER.test(h)}
        onChange={(refuse) => onChange({ ...g, refuse })}
      />
    </div>
  );
}
