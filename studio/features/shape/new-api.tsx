'use client';
import Button from '@mui/material/Button';
import { draftEvents, type EventContract, type FlowDocument } from '@hinge/core';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import { send, type RequestError } from '../../lib/client';
import { ChoiceRow, TextRow } from '../fold/fields';
import { FromAsyncApi } from './from-asyncapi';

/** An API from nothing: a name, a way in, and the first operation, answered by a mock; or topics from what an AsyncAPI document says. */
export function NewApi() {
  const router = useRouter();
  const [typed, setName] = useState<string>();
  const [base, setBase] = useState<string>();
  const [door, setDoor] = useState<'one' | 'two' | 'none'>('one');
  const [begins, setBegins] = useState<'nothing' | 'asyncapi'>('nothing');
  const [contract, setContract] = useState<EventContract>();
  const [told, setTold] = useState('');
  const name = typed ?? (begins === 'asyncapi' ? (contract?.name ?? '') : '');
  const slug = name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '');
  const path = base ?? `/${slug || 'api'}/v1`;
  const make = async () => {
    const second = path.replace(/\/v\d+$/, '') + '/v2';
    const empty: FlowDocument = {
      hinge: 1,
      api: { name: name.trim(), version: '1.0.0' },
      doors:
        door === 'none'
          ? []
          : door === 'one'
            ? [{ name: 'public', path }]
            : [
                { name: 'json', path, answers: 'json' },
                { name: 'xml', path: second, answers: 'xml' },
              ],
      guards: [{ kind: 'schema' }],
      backends: {},
      operations: {},
    };
    const document =
      begins === 'asyncapi' && contract ? draftEvents(contract, { name: name.trim(), base: path }) : empty;
    try {
      await send('POST', '/api/apis/scratch', { slug, document });
      router.push(`/apis/${slug}`);
    } catch (error) {
      setTold((error as RequestError).message);
    }
  };
  return (
    <form
      className="column"
      style={{ maxWidth: 460 }}
      onSubmit={(e) => {
        e.preventDefault();
        void make();
      }}
    >
      <ChoiceRow
        label="Begins with"
        value={begins}
        options={[
          ['nothing', 'nothing'],
          ['asyncapi', 'the topics of an AsyncAPI document'],
        ]}
        onChange={setBegins}
      />
      {begins === 'asyncapi' && <FromAsyncApi onRead={setContract} />}
      <TextRow label="Name" value={name} placeholder="Berth bookings" onChange={(t) => setName(t ?? '')} />
      <TextRow label="Base path" mono value={path} onChange={setBase} />
      {begins === 'nothing' && (
        <ChoiceRow
          label="Doors"
          value={door}
          options={[
            ['one', 'one door, answers what is asked for'],
            ['two', 'two doors: JSON, and XML under /v2'],
            ['none', 'no door: only other flows call it'],
          ]}
          onChange={setDoor}
        />
      )}
      {told && (
        <div className="told" role="alert">
          {told}
        </div>
      )}
      <div>
        <Button
          variant="contained"
          type="submit"
          disabled={!slug || !path.startsWith('/') || (begins === 'asyncapi' && !contract)}
        >
          Make the API
        </Button>
      </div>
    </form>
  );
}
