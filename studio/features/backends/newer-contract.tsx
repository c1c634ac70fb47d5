'use client';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useMemo, useState } from 'react';
import type { RequestError } from '../../lib/client';
import { send } from '../../lib/client';

interface Told {
  readonly operation?: string;
  readonly place: string;
  readonly words: string;
  readonly judged: 'breaking' | 'risky' | 'safe';
  readonly flows: readonly string[];
}

interface Compared {
  readonly changes: readonly Told[];
  readonly operations: number;
  readonly files: Record<string, string>;
  readonly entry: string;
}

const ORDER = { breaking: 0, risky: 1, safe: 2 } as const;
const MARK = { breaking: 'rust', risky: 'brass', safe: 'soft' } as const;
const SHOWN = 200;

/** Brings a newer contract beside the one that is kept: what it says otherwise, judged, with the flows it touches; then it may take its place. */
export function NewerContract({ backend, onDone }: { backend: string; onDone: () => void }) {
  const router = useRouter();
  const [url, setUrl] = useState('');
  const [found, setFound] = useState<Compared>();
  const [busy, setBusy] = useState(false);
  const [told, setTold] = useState('');
  const [only, setOnly] = useState<'all' | Told['judged']>('all');
  const ask = async (source: { url?: string; files?: Record<string, string>; entry?: string }, use: boolean) => {
    setBusy(true);
    setTold('');
    try {
      const reply = await send<Compared>('POST', `/api/backends/${backend}/contract`, { ...source, use });
      setFound(reply);
      if (use) {
        router.refresh();
        onDone();
      }
    } catch (error) {
      setTold((error as RequestError).message);
    } finally {
      setBusy(false);
    }
  };
  const take = async (list: FileList | null) => {
    if (!list?.length) return;
    const files: Record<string, string> = {};
    for (const f of Array.from(list)) files[f.name] = await f.text();
    await ask({ files }, false);
  };
  const counts = useMemo(() => {
    const n = { breaking: 0, risky: 0, safe: 0 };
    for (const c of found?.changes ?? []) n[c.judged]++;
    return n;
  }, [found]);
  const rows = useMemo(
    () =>
      [...(found?.changes ?? [])]
        .filter((c) => only === 'all' || c.judged === only)
        .sort((a, b) => ORDER[a.judged] - ORDER[b.judged]),
    [found, only],
  );
  return (
    <section className="frame column" style={{ padding: 14 }} aria-label="A newer contract">
      <div style={{ display: 'flex', gap: 10, alignItems: 'center' }}>
        <TextField
          fullWidth
          placeholder="Address of the newer contract"
          value={url}
          onChange={(e) => setUrl(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === 'Enter') void ask({ url }, false);
          }}
          slotProps={{ htmlInput: { 'aria-label': 'Address of the newer contract', className: 'mono' } }}
        />
        <Button variant="outlined" disabled={busy || !url.trim()} onClick={() => void ask({ url }, false)}>
          Compare
        </Button>
        <Button variant="outlined" component="label" disabled={busy} sx={{ whiteSpace: 'nowrap', flex: 'none' }}>
          Choose files
          <input
            hidden
            type="file"
            multiple
            accept=".wsdl,.xsd,.xml,.yaml,.yml,.json"
            aria-label="Files of the newer contract"
            onChange={(e) => void take(e.target.files)}
          />
        </Button>
      </div>
      {busy && <div className="soft">Reading and comparing …</div>}
      {told && <div className="told">{told}</div>}
      {found && !busy && (
        <>
          <div style={{ display: 'flex', gap: 14, alignItems: 'center' }} data-testid="contract-changes">
            {found.changes.length === 0 ? (
              <span>It says the same of every operation.</span>
            ) : (
              (['all', 'breaking', 'risky', 'safe'] as const).map((k) => (
                <button
                  key={k}
                  className={`plain ${k === 'all' ? '' : MARK[k]}`}
                  aria-pressed={only === k}
                  style={{ fontWeight: only === k ? 600 : 400 }}
                  onClick={() => setOnly(k)}
                >
                  {k === 'all' ? `${found.changes.length} changes` : `${counts[k]} ${k}`}
                </button>
              ))
            )}
            <span style={{ flex: 1 }} />
            <Button variant="outlined" onClick={() => void ask({ files: found.files, entry: found.entry }, true)}>
              Put it in place of the old one
            </Button>
          </div>
          {rows.length > 0 && (
            <div style={{ overflow: 'auto', maxHeight: 420 }}>
              <table>
                <thead>
                  <tr>
                    <th>Operation</th>
                    <th>Where</th>
                    <th>What</th>
                    <th>Judged</th>
                    <th>Flows</th>
                  </tr>
                </thead>
                <tbody>
                  {rows.slice(0, SHOWN).map((c, i) => (
                    <tr key={i}>
                      <td>{c.operation}</td>
                      <td className="mono">{c.place}</td>
                      <td>{c.words}</td>
                      <td className={MARK[c.judged]}>{c.judged}</td>
                      <td>
                        {c.flows.map((f) => (
                          <div key={f}>
                            <Link href={`/apis/${f.replace(' / ', '/')}`}>{f}</Link>
                          </div>
                        ))}
                        {c.flows.length === 0 && <span className="soft">none</span>}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
              {rows.length > SHOWN && <div className="soft">and {rows.length - SHOWN} more; choose a kind above</div>}
            </div>
          )}
        </>
      )}
    </section>
  );
}
