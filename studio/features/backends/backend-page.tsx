'use client';
import type { CredentialDocument } from '@hinge/core';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import type { RequestError } from '../../lib/client';
import { send } from '../../lib/client';
import { CodeView } from '../fold/code-view';
import { AddressFields } from './address-fields';
import { BackendCredentials } from './credentials';
import { ContractReader } from './contract-view';
import { NewerContract } from './newer-contract';
import type { SecretState } from './secrets';
import type { ContractView } from './view';

interface Props {
  readonly name: string;
  readonly title: string;
  readonly addresses: Readonly<Record<string, string>>;
  readonly environments: readonly { name: string; title: string }[];
  readonly contract?: ContractView;
  readonly credentials: readonly CredentialDocument[];
  readonly secrets: readonly SecretState[];
  readonly samples: Readonly<Record<string, string>>;
}

export function BackendPage(props: Props) {
  const { name, title, contract } = props;
  const [newer, setNewer] = useState(false);
  return (
    <div className="sheet">
      <div className="title">
        <span className="soft">
          <Link href="/backends">Backends</Link> /
        </span>
        <h1>{title}</h1>
        <code className="soft">{name}</code>
        <span className="grow" />
        {contract && (
          <Button variant="outlined" onClick={() => setNewer(!newer)} aria-expanded={newer}>
            Bring in a newer contract
          </Button>
        )}
        {contract && (
          <Button component={Link} href={`/backends/${name}/draft`} variant="contained">
            Draft an API from it
          </Button>
        )}
      </div>
      {contract?.documentation && <div className="soft">{contract.documentation}</div>}
      {newer && <NewerContract backend={name} onDone={() => setNewer(false)} />}
      <Addresses {...props} />
      <BackendCredentials
        backend={name}
        kept={props.credentials}
        states={props.secrets}
        environments={props.environments}
        schemes={contract?.security ?? []}
        soap={contract?.soap !== false}
      />
      {contract ? (
        <ContractReader
          contract={contract}
          aside={(o) =>
            !o.unusable && (
              <TestRequest
                key={o.id}
                backend={name}
                operation={o.id}
                sample={props.samples[o.id] ?? '{}'}
                environments={props.environments}
              />
            )
          }
        />
      ) : (
        <div className="frame empty">
          <strong>No contract</strong>
          Flows pass requests on to this backend as they come.
        </div>
      )}
    </div>
  );
}

function Addresses({ name, addresses, environments }: Props) {
  const router = useRouter();
  const [values, setValues] = useState<Record<string, string>>({ ...addresses });
  const [told, setTold] = useState('');
  const changed = environments.some((e) => (values[e.name] ?? '') !== (addresses[e.name] ?? ''));
  const save = async () => {
    try {
      await send('POST', `/api/backends/${name}`, { addresses: values });
      setTold('');
      router.refresh();
    } catch (error) {
      setTold((error as RequestError).message);
    }
  };
  return (
    <div
      className="frame"
      style={{ padding: 12, display: 'grid', gridTemplateColumns: '140px 1fr', gap: '6px 12px', alignItems: 'center' }}
    >
      <AddressFields
        environments={environments}
        values={values}
        empty="none: flows that call it have a finding"
        onChange={setValues}
      />
      {(changed || told) && (
        <>
          <span />
          <div className="row">
            <Button variant="outlined" disabled={!changed} onClick={() => void save()}>
              Save addresses
            </Button>
            {told && <span className="rust">{told}</span>}
          </div>
        </>
      )}
    </div>
  );
}

interface TestReply {
  readonly sent: string;
  readonly received?: string;
  readonly status?: number;
  readonly ms?: number;
  readonly why?: string;
}

function TestRequest({
  backend,
  operation,
  sample,
  environments,
}: {
  backend: string;
  operation: string;
  sample: string;
  environments: Props['environments'];
}) {
  const [text, setText] = useState(sample);
  const [reply, setReply] = useState<TestReply>();
  const [told, setTold] = useState('');
  const [busy, setBusy] = useState(false);
  const run = async () => {
    setBusy(true);
    setTold('');
    try {
      setReply(
        await send<TestReply>('POST', `/api/backends/${backend}/test`, {
          operation,
          environment: environments[0]?.name,
          request: text,
        }),
      );
    } catch (error) {
      setTold((error as RequestError).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <section className="column" style={{ gap: 6 }}>
      <div className="row">
        <h3>Send a test request</h3>
        <span className="soft">to {environments[0]?.name}; written as JSON, sent as the contract demands</span>
        <span className="grow" />
        <Button variant="outlined" onClick={() => void run()} disabled={busy}>
          {busy ? 'Sending …' : 'Send'}
        </Button>
      </div>
      <TextField
        multiline
        minRows={4}
        maxRows={14}
        value={text}
        onChange={(e) => setText(e.target.value)}
        slotProps={{ htmlInput: { className: 'mono', 'aria-label': 'Test request as JSON', spellCheck: false } }}
      />
      {told && <div className="told">{told}</div>}
      {reply && (
        <div style={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 10 }}>
          <div>
            <div className="soft">Sent</div>
            <div className="frame">
              <CodeView text={reply.sent} mediaType="text/xml" />
            </div>
          </div>
          <div>
            <div className="soft">
              {reply.why ? (
                <span className="rust">{reply.why}</span>
              ) : (
                <>
                  Received {reply.status}, {reply.ms} ms
                </>
              )}
            </div>
            {reply.received !== undefined && (
              <div className="frame">
                <CodeView text={reply.received} mediaType="text/xml" />
              </div>
            )}
          </div>
        </div>
      )}
    </section>
  );
}
