'use client';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import MenuItem from '@mui/material/MenuItem';
import Select from '@mui/material/Select';
import TextField from '@mui/material/TextField';
import { useRouter } from 'next/navigation';
import { useEffect, useState } from 'react';
import { RequestError, send } from '../../lib/client';
import { stateOf } from '../gateways/gateway-list';
import type { GatewayState } from '../gateways/server';

interface Props {
  readonly slug: string;
  readonly revision: number;
  readonly environments: readonly { name: string; title: string }[];
  readonly blocked: number;
  /** Saves what is not saved yet; gives the revision to release. */
  readonly before?: () => Promise<number | undefined>;
  readonly curl?: (address: string) => string;
}

interface Made {
  readonly number: number;
  readonly revision: string;
}

/** Numbers the draft, rolls it out, and waits until the gateways say that they run it. */
export function ReleaseButton({ slug, revision, environments, blocked, before, curl }: Props) {
  const router = useRouter();
  const [open, setOpen] = useState(false);
  const [environment, setEnvironment] = useState(environments[0]?.name ?? '');
  const [notes, setNotes] = useState('');
  const [made, setMade] = useState<Made>();
  const [started, setStarted] = useState(0);
  const [told, setTold] = useState('');
  const [busy, setBusy] = useState(false);

  const start = async () => {
    setBusy(true);
    setTold('');
    try {
      const saved = before ? await before() : revision;
      if (saved === undefined)
        throw new RequestError(0, 'The draft could not be saved; look at the message above the flow.', undefined, {});
      const result = await send<Made>('POST', `/api/apis/${slug}/release`, { revision: saved, environment, notes });
      setStarted(Date.now());
      setMade(result);
      router.refresh();
    } catch (error) {
      setTold((error as RequestError).message);
    } finally {
      setBusy(false);
    }
  };
  const close = () => {
    setOpen(false);
    setMade(undefined);
    setNotes('');
  };
  return (
    <>
      <Button variant="contained" onClick={() => setOpen(true)}>
        Release…
      </Button>
      <Dialog open={open} onClose={close} fullWidth maxWidth="sm" aria-labelledby="release-title">
        <DialogTitle id="release-title">{made ? `Release ${made.number}` : 'Release this draft'}</DialogTitle>
        <DialogContent>
          {made ? (
            <Arrival made={made} environment={environment} started={started} curl={curl} />
          ) : (
            <div className="column">
              {blocked > 0 && (
                <div className="told">
                  {blocked === 1 ? '1 finding stands' : `${blocked} findings stand`} in the way. Correct what is marked
                  as an error first.
                </div>
              )}
              <label className="column" style={{ gap: 3 }}>
                <span className="soft">To</span>
                <Select
                  value={environment}
                  onChange={(e) => setEnvironment(e.target.value)}
                  slotProps={{ input: { 'aria-label': 'Environment' } }}
                >
                  {environments.map((e) => (
                    <MenuItem key={e.name} value={e.name}>
                      {e.title}
                    </MenuItem>
                  ))}
                </Select>
              </label>
              <label className="column" style={{ gap: 3 }}>
                <span className="soft">Notes, for those who come after</span>
                <TextField
                  multiline
                  minRows={2}
                  value={notes}
                  onChange={(e) => setNotes(e.target.value)}
                  slotProps={{ htmlInput: { 'aria-label': 'Notes' } }}
                />
              </label>
              {told && (
                <div className="told" role="alert">
                  {told}
                </div>
              )}
            </div>
          )}
        </DialogContent>
        <DialogActions>
          <Button variant="outlined" onClick={close}>
            {made ? 'Done' : 'Not now'}
          </Button>
          {!made && (
            <Button variant="contained" disabled={busy || blocked > 0 || !environment} onClick={() => void start()}>
              {busy ? 'Releasing …' : `Release to ${environment}`}
            </Button>
          )}
        </DialogActions>
      </Dialog>
    </>
  );
}

function Arrival({
  made,
  environment,
  started,
  curl,
}: {
  made: Made;
  environment: string;
  started: number;
  curl?: (address: string) => string;
}) {
  const [gateways, setGateways] = useState<GatewayState[]>([]);
  const [arrived, setArrived] = useState<Record<string, number>>({});
  const [copied, setCopied] = useState(false);
  useEffect(() => {
    let stop = false;
    const look = async () => {
      while (!stop) {
        const all = await send<{ gateways: GatewayState[] }>('GET', '/api/gateways')
          .then((r) => r.gateways)
          .catch(() => [] as GatewayState[]);
        const mine = all.filter((g) => g.environment === environment);
        setGateways(mine);
        setArrived((a) => {
          const next = { ...a };
          for (const g of mine)
            if (g.applied === made.revision && next[g.name] === undefined) next[g.name] = Date.now() - started;
          return next;
        });
        await new Promise((r) =>
          setTimeout(r, mine.every((g) => g.applied === made.revision) && mine.length ? 2000 : 150),
        );
      }
    };
    void look();
    return () => {
      stop = true;
    };
  }, [environment, made.revision, started]);
  const first = gateways[0];
  const line = first && curl?.(first.address);
  return (
    <div className="column" aria-live="polite">
      {gateways.map((g) => (
        <div key={g.name} className="row">
          {arrived[g.name] !== undefined ? (
            <span className="spruce">
              <strong>{g.name}</strong> runs release {made.number}, confirmed after{' '}
              {(arrived[g.name]! / 1000).toFixed(1)} s
            </span>
          ) : (
            <span className={g.connected ? 'brass' : 'rust'}>
              <strong>{g.name}</strong> {g.connected ? 'is being told …' : stateOf(g).words}
            </span>
          )}
        </div>
      ))}
      {!gateways.length && (
        <div className="note">No gateway belongs to {environment} yet; the release waits there for one.</div>
      )}
      {line && (
        <div className="frame" style={{ padding: '8px 10px' }}>
          <pre style={{ margin: 0, whiteSpace: 'pre-wrap', overflowWrap: 'anywhere' }} data-testid="curl">
            {line}
          </pre>
          <button
            className="plain spruce"
            onClick={() => void navigator.clipboard?.writeText(line).then(() => setCopied(true))}
          >
            {copied ? 'Copied' : 'Copy this line'}
          </button>
        </div>
      )}
    </div>
  );
}
