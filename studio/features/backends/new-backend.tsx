'use client';
import Button from '@mui/material/Button';
import LinearProgress from '@mui/material/LinearProgress';
import TextField from '@mui/material/TextField';
import { INTROSPECTED, slug, type Finding } from '@hinge/core';
import { useRouter } from 'next/navigation';
import { useRef, useState, type DragEvent } from 'react';
import { RequestError, send } from '../../lib/client';
import { ToldBox } from '../shell/told';
import { AddressFields } from './address-fields';
import { ContractReader } from './contract-view';
import { readSource } from './read-contract';
import type { ContractView, Preview } from './view';

type Way = 'file' | 'paste' | 'url' | 'address';
const WAYS: readonly (readonly [Way, string])[] = [
  ['file', 'Files'],
  ['url', 'By address of the contract'],
  ['paste', 'Paste'],
  ['address', 'No contract, just an address'],
];

export function NewBackend({ environments }: { environments: readonly { name: string; title: string }[] }) {
  const router = useRouter();
  const [way, setWay] = useState<Way>('file');
  const [files, setFiles] = useState<Record<string, string>>({});
  const [pasted, setPasted] = useState('');
  const [url, setUrl] = useState('');
  const [preview, setPreview] = useState<Preview>();
  const [name, setName] = useState('');
  const [addresses, setAddresses] = useState<Record<string, string>>({});
  const [told, setTold] = useState<{ message: string; finding?: Finding }>();
  const [busy, setBusy] = useState('');
  const [progress, setProgress] = useState<{ done: number; of: number }>();
  const reading = useRef<AbortController>(undefined);
  const picker = useRef<HTMLInputElement>(null);

  /** Only the attempt that began last says that it has ended. */
  const attempts = useRef(0);
  const attempt = async (what: string, run: () => Promise<void>) => {
    const mine = ++attempts.current;
    setBusy(what);
    setTold(undefined);
    try {
      await run();
    } catch (error) {
      if ((error as Error).name === 'AbortError') return;
      if (!(error instanceof RequestError)) throw error;
      setTold({ message: error.message, finding: error.finding });
    } finally {
      if (mine === attempts.current) {
        setBusy('');
        setProgress(undefined);
      }
    }
  };

  const read = (source: { url?: string; files?: Record<string, string> }) =>
    attempt('Reading …', async () => {
      reading.current?.abort();
      const giveUp = new AbortController();
      reading.current = giveUp;
      const p = await readSource(source, (done, of) => setProgress({ done, of }), giveUp.signal);
      setPreview(p);
      // A server that said its types itself is where it was asked.
      const asked = p.entry === INTROSPECTED && source.url !== undefined ? new URL(source.url) : undefined;
      setName((n) => n || (asked ? slug(asked.pathname) : p.suggestedName));
      const first = asked?.href ?? p.contract.addresses[0];
      if (first)
        setAddresses((a) =>
          Object.keys(a).length ? a : Object.fromEntries(environments.slice(0, 1).map((e) => [e.name, first])),
        );
    });

  const takeFiles = async (list: FileList | null) => {
    if (!list?.length) return;
    const taken: Record<string, string> = { ...files };
    for (const f of list) {
      if (f.size > 16 * 1024 * 1024) {
        setTold({
          message: `${f.name} has ${(f.size / 1048576).toFixed(1)} MB; a contract may have 16 MB at most. Split it, or leave out what no operation uses.`,
        });
        return;
      }
      taken[f.name] = await f.text();
    }
    setFiles(taken);
    setPreview(undefined);
    await read({ files: taken });
  };
  const drop = (e: DragEvent) => {
    e.preventDefault();
    void takeFiles(e.dataTransfer.files);
  };

  const save = () =>
    attempt('Saving …', async () => {
      const made = await send<{ name: string }>('POST', '/api/backends', {
        name,
        title: preview?.contract.name ?? name,
        addresses,
        ...(preview && { source: { entry: preview.entry, files: preview.files } }),
      });
      router.push(`/backends/${made.name}`);
    });

  const ready =
    /^[A-Za-z_][A-Za-z0-9_-]*$/.test(name) &&
    (preview !== undefined || (way === 'address' && Object.values(addresses).some(Boolean)));
  const findings = preview?.contract.findings ?? [];
  const heeded = findings.filter((f) => f.severity !== 'info');
  const known = findings.filter((f) => f.severity === 'info');
  return (
    <div className="sheet">
      <div className="title">
        <h1>New backend</h1>
        <span className="grow" />
        <Button variant="contained" disabled={!ready || busy !== ''} onClick={() => void save()}>
          {busy || 'Keep this backend'}
        </Button>
      </div>
      <div className="row" role="tablist" aria-label="How to bring it in" style={{ gap: 20 }}>
        {WAYS.map(([w, label]) => (
          <button
            key={w}
            role="tab"
            aria-selected={way === w}
            className="plain"
            onClick={() => {
              setWay(w);
              setPreview(undefined);
              setTold(undefined);
            }}
            style={{
              paddingBottom: 3,
              borderBottom: `2px solid ${way === w ? 'var(--spruce)' : 'transparent'}`,
              fontWeight: way === w ? 650 : 400,
              color: way === w ? 'var(--spruce)' : 'var(--soft)',
            }}
          >
            {label}
          </button>
        ))}
      </div>
      {way === 'file' && (
        <div
          className="frame"
          onDragOver={(e) => e.preventDefault()}
          onDrop={drop}
          style={{ padding: 20, borderStyle: 'dashed' }}
        >
          <input
            ref={picker}
            type="file"
            multiple
            hidden
            accept=".wsdl,.xsd,.xml,.yaml,.yml,.json"
            onChange={(e) => void takeFiles(e.target.files)}
            aria-label="Contract and schema files"
          />
          <div className="row">
            <Button variant="outlined" onClick={() => picker.current?.click()}>
              Choose files
            </Button>
            <span className="soft">
              or drop them here: a WSDL, OpenAPI or GraphQL document and every file it refers to, together or one after
              the other.
            </span>
          </div>
          {Object.keys(files).length > 0 && (
            <div className="row" style={{ marginTop: 10, flexWrap: 'wrap' }}>
              {Object.entries(files).map(([n, text]) => (
                <span key={n} className="mono">
                  {n} <span className="soft">{Math.max(1, Math.round(text.length / 1024))} KB</span>{' '}
                  <button
                    className="plain soft"
                    aria-label={`Leave out ${n}`}
                    onClick={() => {
                      const rest = { ...files };
                      delete rest[n];
                      setFiles(rest);
                      setPreview(undefined);
                      setTold(undefined);
                    }}
                  >
                    ×
                  </button>
                </span>
              ))}
            </div>
          )}
        </div>
      )}
      {way === 'url' && (
        <form
          className="row"
          onSubmit={(e) => {
            e.preventDefault();
            void read({ url });
          }}
        >
          <TextField
            fullWidth
            value={url}
            onChange={(e) => setUrl(e.target.value)}
            placeholder="http://127.0.0.1:4331/soap?wsdl"
            slotProps={{ htmlInput: { 'aria-label': 'Address of the contract' } }}
          />
          <Button type="submit" variant="outlined" disabled={busy !== '' || !url}>
            Read
          </Button>
        </form>
      )}
      {way === 'paste' && (
        <div className="column">
          <TextField
            multiline
            minRows={8}
            maxRows={16}
            value={pasted}
            onChange={(e) => setPasted(e.target.value)}
            placeholder="<wsdl:definitions …>  or  openapi: 3.1.0 …  or  type Query { … }"
            slotProps={{ htmlInput: { 'aria-label': 'Text of the contract', className: 'mono', spellCheck: false } }}
          />
          <div>
            <Button
              variant="outlined"
              disabled={busy !== '' || !pasted.trim()}
              onClick={() => void read({ files: { [/^\s*</.test(pasted) ? 'pasted.wsdl' : 'pasted.yaml']: pasted } })}
            >
              Read
            </Button>
          </div>
        </div>
      )}
      {busy === 'Reading …' && (
        <div className="row" style={{ gap: 12 }}>
          <LinearProgress
            sx={{ flex: 1, maxWidth: 420 }}
            aria-label="Reading the contract"
            {...(progress
              ? { variant: 'determinate', value: (100 * progress.done) / progress.of }
              : { variant: 'indeterminate' })}
          />
          <span className="soft">
            {progress ? `operation ${progress.done + 1} of ${progress.of}` : 'opening the documents'}
          </span>
          <button className="plain link" onClick={() => reading.current?.abort()}>
            Give up
          </button>
        </div>
      )}
      {told && <ToldBox {...told} />}
      {(preview ?? way === 'address') && (
        <div
          className="frame"
          style={{
            padding: 14,
            display: 'grid',
            gridTemplateColumns: '140px 1fr',
            gap: '8px 12px',
            alignItems: 'center',
          }}
        >
          <label htmlFor="backend-name" className="soft">
            Name in flows
          </label>
          <TextField
            id="backend-name"
            value={name}
            onChange={(e) => setName(e.target.value)}
            error={name !== '' && !/^[A-Za-z_][A-Za-z0-9_-]*$/.test(name)}
            helperText={
              name !== '' && !/^[A-Za-z_][A-Za-z0-9_-]*$/.test(name)
                ? 'starts with a letter; only letters, digits, _ and -'
                : undefined
            }
            sx={{ maxWidth: 260 }}
          />
          <AddressFields
            environments={environments}
            values={addresses}
            empty="may be given later; until then a finding says so"
            onChange={setAddresses}
          />
        </div>
      )}
      {preview && (
        <>
          {heeded.length > 0 && (
            <div className="note">
              <Noticed findings={heeded} />
            </div>
          )}
          {known.length > 0 && (
            <details className="soft">
              <summary>{known.length === 1 ? 'One thing to know' : `${known.length} things to know`}</summary>
              <div style={{ padding: '6px 0 0 18px' }}>
                <Noticed findings={known} />
              </div>
            </details>
          )}
          <ContractReader contract={preview.contract} />
        </>
      )}
    </div>
  );
}

const MOST = 8;

function Noticed({ findings }: { readonly findings: ContractView['findings'] }) {
  return (
    <>
      {findings.slice(0, MOST).map((f, i) => (
        <div key={i}>
          {f.message}. <span className="soft">{f.remedy}</span> <code>{f.code}</code>
        </div>
      ))}
      {findings.length > MOST && <div className="soft">and {findings.length - MOST} more</div>}
    </>
  );
}
