'use client';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { HingeError, readAsyncApi, type EventContract, type Finding } from '@hinge/core';
import { useRef, useState, type DragEvent } from 'react';
import { RequestError, send } from '../../lib/client';
import type { Source } from '../backends/read-contract';

/** The same bound as that of the server for what it fetches. */
const MOST_BYTES = 24 * 1024 * 1024;
const SHOWN = 6;

interface Props {
  readonly onRead: (contract: EventContract | undefined) => void;
}

/** Reads an AsyncAPI document, from files or from an address, and tells what stands in it. */
export function FromAsyncApi({ onRead }: Props) {
  const [files, setFiles] = useState<Readonly<Record<string, string>>>({});
  const [url, setUrl] = useState('');
  const [busy, setBusy] = useState(false);
  const [told, setTold] = useState<readonly string[]>([]);
  const [read, setRead] = useState<EventContract>();
  const picker = useRef<HTMLInputElement>(null);

  const take = (source: { files: Readonly<Record<string, string>>; entry: string }) => {
    try {
      const contract = readAsyncApi(source);
      setTold([]);
      setRead(contract);
      onRead(contract);
    } catch (error) {
      setRead(undefined);
      onRead(undefined);
      if (!(error instanceof HingeError)) throw error;
      setTold([wordsOf(error.finding), ...(error.finding.remedy ? [error.finding.remedy] : [])]);
    }
  };
  const takeFiles = async (list: FileList | null) => {
    if (!list?.length) return;
    const given = [...list];
    if (given.reduce((sum, f) => sum + f.size, 0) > MOST_BYTES) {
      setTold([`The files have more than ${MOST_BYTES / 1024 / 1024} MB together.`]);
      return;
    }
    const all = { ...files };
    for (const f of given) all[f.name] = await f.text();
    setFiles(all);
    const entry = Object.keys(all).find((name) => /["']?asyncapi["']?\s*:/.test(all[name]!.slice(0, 4000)));
    if (entry !== undefined) take({ files: all, entry });
    else
      setTold([
        `No AsyncAPI document is among ${Object.keys(all).join(', ')}: one begins with asyncapi and its version.`,
      ]);
  };
  const fetchUrl = async () => {
    setBusy(true);
    setTold([]);
    try {
      const { files: got, entry } = await send<Source>('POST', '/api/backends/preview', { url, unread: true });
      take({ files: got ?? {}, entry: entry ?? '' });
    } catch (error) {
      if (!(error instanceof RequestError)) throw error;
      setTold([error.message]);
    } finally {
      setBusy(false);
    }
  };
  const drop = (e: DragEvent) => {
    e.preventDefault();
    void takeFiles(e.dataTransfer.files);
  };
  return (
    <div className="column" style={{ gap: 8 }}>
      <div
        className="frame column"
        onDragOver={(e) => e.preventDefault()}
        onDrop={drop}
        style={{ padding: 14, borderStyle: 'dashed' }}
      >
        <input
          ref={picker}
          type="file"
          multiple
          hidden
          accept=".yaml,.yml,.json"
          aria-label="AsyncAPI files"
          onChange={(e) => void takeFiles(e.target.files)}
        />
        <div className="row">
          <Button
            variant="outlined"
            sx={{ whiteSpace: 'nowrap', flex: 'none' }}
            onClick={() => picker.current?.click()}
          >
            Choose files
          </Button>
          <span className="soft">or drop them here, with every file they refer to</span>
        </div>
        <div className="row">
          <TextField
            fullWidth
            value={url}
            onChange={(e) => setUrl(e.target.value)}
            onKeyDown={(e) => {
              if (e.key !== 'Enter') return;
              e.preventDefault();
              if (url && !busy) void fetchUrl();
            }}
            placeholder="http://127.0.0.1:8080/asyncapi.yaml"
            slotProps={{ htmlInput: { 'aria-label': 'Address of the AsyncAPI document', className: 'mono' } }}
          />
          <Button variant="outlined" disabled={!url || busy} onClick={() => void fetchUrl()}>
            {busy ? 'Reading …' : 'Fetch'}
          </Button>
        </div>
      </div>
      {told.length > 0 && (
        <div className="told" role="alert">
          {told.map((t) => (
            <div key={t}>{t}</div>
          ))}
        </div>
      )}
      {read && (
        <div role="status">
          <b>{read.name}</b>: {count(read.channels.length, 'topic')},{' '}
          {read.brokers.length ? count(read.brokers.length, 'broker') : 'no broker'},{' '}
          {count(Object.keys(read.types).length, 'type')}
          {read.findings.slice(0, SHOWN).map((f) => (
            <div key={wordsOf(f)}>
              <span className="brass">{wordsOf(f)}</span> <span className="soft">{f.remedy}</span>
            </div>
          ))}
          {read.findings.length > SHOWN && <div className="soft">{read.findings.length - SHOWN} more like these</div>}
        </div>
      )}
    </div>
  );
}

const count = (n: number, what: string): string => `${n} ${what}${n === 1 ? '' : 's'}`;

const wordsOf = (f: Finding): string =>
  `${f.message}${f.place.file ? ` (${f.place.file}${f.place.line ? `, line ${f.place.line}` : ''})` : ''}`;
