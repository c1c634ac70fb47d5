'use client';
import ipaddr from 'ipaddr.js';
import type { GuardDocument } from '@hinge/core';
import { ChoiceRow, NumberRow, RowMoves, TextRow } from '../fold/fields';
import { CredentialSettings } from './credential-settings';
import { ListRow } from '../fold/list-row';

type Kind = GuardDocument['kind'];

const WORDS: Record<Kind, string> = {
  cors: 'pages of other origins may call',
  network: 'only from some networks',
  headers: 'rules for headers',
  certificate: 'a certificate of the caller',
  key: 'the key of an app',
  token: 'a token that this gateway gave',
  basic: 'a name and a password',
  jwt: 'a token of an issuer',
  rate: 'so many calls in a while',
  quota: 'so many calls in a day or a month',
  concurrency: 'so many calls at the same time',
  size: 'a size of bodies',
  signature: 'signed bodies',
  schema: 'requests that fit the contract',
};
const FRESH: Record<Kind, GuardDocument> = {
  cors: { kind: 'cors', origins: ['*'] },
  network: { kind: 'network', allow: ['127.0.0.0/8'] },
  headers: { kind: 'headers' },
  certificate: { kind: 'certificate' },
  key: { kind: 'key' },
  token: { kind: 'token' },
  basic: { kind: 'basic', users: {} },
  jwt: { kind: 'jwt', issuer: 'https://login.example' },
  rate: { kind: 'rate', calls: 60, seconds: 60 },
  quota: { kind: 'quota', calls: 10_000, each: 'day' },
  concurrency: { kind: 'concurrency', calls: 10 },
  size: { kind: 'size', maxBytes: 1_048_576 },
  signature: { kind: 'signature', secret: 'signingSecret' },
  schema: { kind: 'schema' },
};

interface Props {
  readonly label: string;
  readonly guards: readonly GuardDocument[];
  /** Guards that act here too, and where they come from. */
  readonly inherited?: readonly { readonly guard: GuardDocument; readonly from: string }[];
  readonly readOnly?: boolean;
  readonly onChange: (guards: GuardDocument[] | undefined) => void;
}

/** Guards of one scope; those that are inherited stand hollow, until one of the same kind takes their place. */
export function GuardsEditor({ label, guards, inherited = [], readOnly, onChange }: Props) {
  const put = (next: GuardDocument[]) => onChange(next.length ? next : undefined);
  const set = (i: number, g: GuardDocument | undefined) =>
    put(guards.flatMap((x, n) => (n !== i ? [x] : g ? [g] : [])));
  const free = (Object.keys(FRESH) as Kind[]).filter((k) => !guards.some((g) => g.kind === k));
  return (
    <div className="column" role="group" aria-label={label} style={{ gap: 6 }}>
      {inherited
        .filter(({ guard }) => !guards.some((g) => g.kind === guard.kind))
        .map(({ guard, from }) => (
          <div key={guard.kind} className="row soft">
            <span style={{ width: 90, flex: 'none' }}>{guard.kind}</span>
            <span>
              {factsOf(guard)} from {from}
            </span>
          </div>
        ))}
      {guards.map((g, i) => (
        <div key={g.kind} className="row guard-row">
          <strong style={{ width: 90, flex: 'none' }}>{g.kind}</strong>
          <Settings guard={g} readOnly={readOnly} onChange={(next) => set(i, next)} />
          <RowMoves
            index={i}
            count={1}
            what={`the guard ${g.kind}`}
            readOnly={readOnly}
            onRemove={() => set(i, undefined)}
          />
        </div>
      ))}
      {!guards.length && !inherited.length && <span className="soft">none</span>}
      {!readOnly && free.length > 0 && (
        <ChoiceRow<Kind | ''>
          hideLabel
          label={`Add a guard: ${label}`}
          width={210}
          value=""
          options={[['', 'Add a guard …'], ...free.map((k): [Kind, string] => [k, `${k}: ${WORDS[k]}`])]}
          onChange={(k) => k && put([...guards, FRESH[k]])}
        />
      )}
    </div>
  );
}

/** An address, or a network by its prefix (RFC 4632, RFC 4291 §2.3). */
const isNetwork = (text: string): boolean => ipaddr.isValid(text) || ipaddr.isValidCIDR(text);

/** What a guard is set to, where that fits in a few words. */
export function factsOf(g: GuardDocument): string {
  if (g.kind === 'rate') return `${g.calls} in ${g.seconds} s,`;
  if (g.kind === 'size') return `${g.maxBytes} bytes,`;
  if (g.kind === 'quota') return `${g.calls} each ${g.each},`;
  if (g.kind === 'concurrency') return `${g.calls} at once,`;
  if (g.kind === 'jwt') return `of ${g.issuer},`;
  if (g.kind === 'token' && g.scopes?.length) return `with ${g.scopes.join(', ')},`;
  return '';
}

function Settings({
  guard: g,
  readOnly,
  onChange,
}: {
  guard: GuardDocument;
  readOnly?: boolean;
  onChange: (g: GuardDocument) => void;
}) {
  switch (g.kind) {
    case 'key':
      return (
        <>
          <TextRow
            hideLabel
            mono
            width={140}
            label="Header of the key"
            value={g.header}
            placeholder={g.query ? 'no header' : 'X-API-Key'}
            readOnly={readOnly}
            onChange={(header) => onChange({ ...g, header })}
          />
          <TextRow
            hideLabel
            mono
            width={120}
            label="Query parameter of the key"
            value={g.query}
            placeholder="no query"
            readOnly={readOnly}
            onChange={(query) => onChange({ ...g, query })}
          />
        </>
      );
    case 'rate':
      return (
        <>
          <NumberRow
            hideLabel
            width={80}
            label="Calls"
            value={g.calls}
            least={1}
            most={100_000}
            readOnly={readOnly}
            onChange={(calls) => calls && onChange({ ...g, calls })}
          />
          <span className="soft">in</span>
          <NumberRow
            hideLabel
            width={80}
            label="Seconds"
            value={g.seconds}
            least={1}
            most={86_400}
            readOnly={readOnly}
            onChange={(seconds) => seconds && onChange({ ...g, seconds })}
          />
          <span className="soft nowrap">s, per</span>
          <PerChoice guard={g} readOnly={readOnly} onChange={onChange} />
        </>
      );
    case 'network':
      return (
        <>
          <ListRow
            hideLabel
            mono
            label="Networks that may"
            values={g.allow}
            placeholder="all networks"
            readOnly={readOnly}
            accept={isNetwork}
            onChange={(allow) => onChange({ ...g, allow })}
          />
          <ListRow
            hideLabel
            mono
            label="Networks that may not"
            values={g.deny}
            placeholder="none denied"
            readOnly={readOnly}
            accept={isNetwork}
            onChange={(deny) => onChange({ ...g, deny })}
          />
        </>
      );
    case 'certificate':
      return (
        <>
          <ListRow
            hideLabel
            mono
            label="Names that may"
            values={g.names}
            placeholder="all names of the gateway's authorities"
            readOnly={readOnly}
            onChange={(names) => onChange({ ...g, names })}
          />
          <ListRow
            hideLabel
            mono
            label="Fingerprints that may (SHA-256)"
            values={g.fingerprints}
            placeholder="any fingerprint"
            readOnly={readOnly}
            accept={(f) => /^([0-9A-Fa-f]{2}:?){31}[0-9A-Fa-f]{2}$/.test(f)}
            onChange={(fingerprints) => onChange({ ...g, fingerprints })}
          />
        </>
      );
    case 'size':
      return (
        <>
          <NumberRow
            hideLabel
            width={120}
            label="Most bytes"
            value={g.maxBytes}
            least={0}
            most={1_073_741_824}
            readOnly={readOnly}
            onChange={(n) => n !== undefined && onChange({ ...g, maxBytes: n })}
          />
          <span className="soft">bytes</span>
        </>
      );
    case 'quota':
      return (
        <>
          <NumberRow
            hideLabel
            width={110}
            label="Calls of the quota"
            value={g.calls}
            least={1}
            most={1_000_000_000}
            readOnly={readOnly}
            onChange={(calls) => calls && onChange({ ...g, calls })}
          />
          <span className="soft">each</span>
          <ChoiceRow
            hideLabel
            label="Period of the quota"
            width={100}
            value={g.each}
            options={(['hour', 'day', 'week', 'month'] as const).map((e) => [e, e])}
            readOnly={readOnly}
            onChange={(each) => onChange({ ...g, each })}
          />
          <span className="soft nowrap">by the clock of</span>
          <TextRow
            hideLabel
            width={140}
            label="Time zone of the quota"
            value={g.zone}
            placeholder="UTC"
            readOnly={readOnly}
            accept={(t) => t === '' || isTimeZone(t)}
            onChange={(zone) => onChange({ ...g, zone })}
          />
          <span className="soft nowrap">per</span>
          <PerChoice guard={g} readOnly={readOnly} onChange={onChange} />
        </>
      );
    case 'concurrency':
      return (
        <>
          <NumberRow
            hideLabel
            width={80}
            label="Calls at the same time"
            value={g.calls}
            least={1}
            most={10_000}
            readOnly={readOnly}
            onChange={(calls) => calls && onChange({ ...g, calls })}
          />
          <span className="soft nowrap">at once, per</span>
          <PerChoice guard={g} readOnly={readOnly} onChange={onChange} />
        </>
      );
    case 'cors':
    case 'token':
    case 'jwt':
    case 'basic':
    case 'signature':
    case 'headers':
      return <CredentialSettings guard={g} readOnly={readOnly} onChange={onChange} />;
    case 'schema':
      return <span className="soft grow">requests must fit the contract</span>;
  }
}

type Counting = Extract<GuardDocument, { kind: 'rate' | 'quota' | 'concurrency' }>;

function PerChoice({
  guard: g,
  readOnly,
  onChange,
}: {
  guard: Counting;
  readOnly?: boolean;
  onChange: (g: GuardDocument) => void;
}) {
  const own = typeof g.per === 'object';
  return (
    <ChoiceRow
      hideLabel
      label={`Counted per, ${g.kind}`}
      width={110}
      value={own ? 'expression' : ((g.per as string | undefined) ?? 'app')}
      options={[
        ['app', 'app'],
        ['address', 'address'],
        ['operation', 'operation'],
        ['door', 'door'],
        ...(own ? [['expression', 'an expression'] as [string, string]] : []),
      ]}
      readOnly={readOnly}
      onChange={(per) => per !== 'expression' && onChange({ ...g, per: per as 'app' })}
    />
  );
}

/** A name of the IANA database that this browser knows. */
function isTimeZone(name: string): boolean {
  try {
    new Intl.DateTimeFormat('en', { timeZone: name });
    return true;
  } catch {
    return false;
  }
}
