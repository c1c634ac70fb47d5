'use client';
import TextField from '@mui/material/TextField';
import {
  channelPath,
  protocolOf,
  topicParameters,
  sampleOf,
  writeJson,
  type FlowDocument,
  type JsonSchema,
} from '@hinge/core';
import { useState } from 'react';
import { ChoiceRow, NumberRow, TextRow } from '../fold/fields';
import { ExpressionRow } from '../fold/fields';
import { Background } from '../topics/background';
import { Happening } from '../topics/happening';
import { Live } from '../topics/live';
import { ParameterRows } from '../topics/parameters';

type Topics = NonNullable<FlowDocument['topics']>;
type Topic = Topics[string];
type Brokers = NonNullable<FlowDocument['brokers']>;

interface Props {
  readonly slug: string;
  readonly document: FlowDocument;
  readonly environments: readonly { readonly name: string; readonly title: string }[];
  readonly address?: string;
  readonly readOnly?: boolean;
  readonly onChange: (d: FlowDocument) => void;
}

const NAME = /^[A-Za-z_][A-Za-z0-9_-]{0,99}$/;
const typeOf = (t: Topic): string | undefined =>
  /^#\/types\/(.+)$/.exec(String((t.schema as JsonSchema | undefined)?.$ref ?? ''))?.[1];

/** Topics and their brokers: what events there are, where they go, who may listen; and a place to try them. */
export function TopicsTab({ slug, document: d, environments, address, readOnly, onChange }: Props) {
  const topics: Topics = d.topics ?? {};
  const names = Object.keys(topics);
  const [wanted, setWanted] = useState(names[0]);
  const chosen = wanted !== undefined && wanted in topics ? wanted : names[0];
  const [fresh, setFresh] = useState('');
  const topic = chosen === undefined ? undefined : topics[chosen];
  const put = (next: Topics) => onChange({ ...d, topics: Object.keys(next).length ? next : undefined });
  const set = (more: Partial<Topic>) => {
    const next = Object.fromEntries(Object.entries({ ...topic, ...more }).filter(([, v]) => v !== undefined));
    put({ ...topics, [chosen!]: next as Topic });
  };
  const setDoor = (more: Partial<NonNullable<Topic['door']>>) => {
    const door = Object.fromEntries(Object.entries({ ...topic?.door, ...more }).filter(([, v]) => v !== undefined));
    set({ door: Object.keys(door).length ? door : undefined });
  };
  const add = () => {
    if (!NAME.test(fresh) || fresh in topics) return;
    put({ ...topics, [fresh]: {} });
    setWanted(fresh);
    setFresh('');
  };
  const parameters = topic ? topicParameters(chosen!, topic) : [];
  const door = d.doors.find((x) => x.answers === 'events');
  return (
    <div className="topics">
      <div className="column">
        <div className="frame" role="listbox" aria-label="Topics">
          {names.map((n) => (
            <button
              key={n}
              role="option"
              aria-selected={n === chosen}
              className={`plain list-option ${n === chosen ? 'chosen' : ''}`}
              style={{ display: 'block', width: '100%' }}
              onClick={() => setWanted(n)}
            >
              {topics[n]!.title ?? n}
            </button>
          ))}
          {!names.length && (
            <div className="soft" style={{ padding: 12 }}>
              No topics yet. A topic carries events: a flow publishes to it, callers listen.
            </div>
          )}
        </div>
        {!readOnly && (
          <div className="row">
            <TextField
              value={fresh}
              onChange={(e) => setFresh(e.target.value)}
              onKeyDown={(e) => e.key === 'Enter' && add()}
              placeholder="Name of a new topic"
              slotProps={{ htmlInput: { 'aria-label': 'Name of a new topic' } }}
            />
            <button className="plain spruce" onClick={add}>
              Add
            </button>
          </div>
        )}
        <BrokerList brokers={d.brokers ?? {}} readOnly={readOnly} onChange={(b) => onChange({ ...d, brokers: b })} />
      </div>
      {topic && chosen !== undefined && (
        <div className="column" key={chosen}>
          {!door && (
            <div className="note">
              No door answers events: flows publish here, and nobody listens by HTTP. Set a door to <em>events</em>{' '}
              under Doors.
            </div>
          )}
          {door && (
            <div className="row soft">
              <span className="mono grow cut">
                {address ?? ''}
                {door.path.replace(/\/$/, '')}
                {channelPath(chosen, topic)}
              </span>
              <span className="nowrap">POST publishes, GET streams, ?wait=30 waits, a WebSocket does both</span>
            </div>
          )}
          <div className="topic-form">
            <TextRow label="Title" value={topic.title} readOnly={readOnly} onChange={(title) => set({ title })} />
            <ChoiceRow
              label="Data"
              value={typeOf(topic) ?? ''}
              options={[
                ['', topic.schema && !typeOf(topic) ? 'a schema of its own' : 'anything'],
                ...Object.keys(d.types ?? {}).map((t): [string, string] => [t, t]),
              ]}
              readOnly={readOnly}
              onChange={(t) => set({ schema: t ? { $ref: `#/types/${t}` } : undefined })}
            />
            <ChoiceRow
              label="Broker"
              value={topic.broker ?? ''}
              options={[
                ['', 'none: within the gateway'],
                ...Object.keys(d.brokers ?? {}).map((b): [string, string] => [b, b]),
              ]}
              readOnly={readOnly}
              onChange={(b) => set({ broker: b || undefined })}
            />
            <TextRow
              label="Name at the broker, with {parameters}"
              mono
              value={topic.address}
              placeholder={chosen}
              readOnly={readOnly}
              accept={(t) => !/[#+]/.test(t)}
              onChange={(a) => set({ address: a })}
            />
            <ChoiceRow
              label="Form"
              value={topic.form ?? 'plain'}
              options={[
                ['plain', 'the data alone'],
                ['cloudevents', 'CloudEvents 1.0'],
              ]}
              readOnly={readOnly}
              onChange={(f) => set({ form: f === 'plain' ? undefined : 'cloudevents' })}
            />
            <ChoiceRow
              label="Delivery"
              value={`${topic.qos ?? 1}${topic.retain ? ' kept' : ''}`}
              options={[
                ['1', 'confirmed by the broker (QoS 1)'],
                ['0', 'not confirmed (QoS 0)'],
                ['1 kept', 'confirmed, the last one retained'],
                ['0 kept', 'not confirmed, the last one retained'],
              ]}
              readOnly={readOnly}
              onChange={(v) =>
                set({ qos: v.startsWith('0') ? 0 : undefined, retain: v.includes('kept') ? true : undefined })
              }
            />
            <TextRow
              label="Path below the door"
              mono
              value={topic.door?.path}
              placeholder={channelPath(chosen, { ...topic, door: undefined })}
              readOnly={readOnly}
              accept={(t) => t === '' || /^\/[^?#*]*$/.test(t)}
              onChange={(path) => setDoor({ path })}
            />
            <ChoiceRow
              label="By HTTP"
              value={topic.door?.publish === false ? 'listen' : topic.door?.listen === false ? 'publish' : 'both'}
              options={[
                ['both', 'publish and listen'],
                ['listen', 'listen only'],
                ['publish', 'publish only'],
              ]}
              readOnly={readOnly}
              onChange={(v) =>
                setDoor({ publish: v === 'listen' ? false : undefined, listen: v === 'publish' ? false : undefined })
              }
            />
            <NumberRow
              label="Events kept for who comes back"
              value={topic.keep?.events}
              least={0}
              most={100_000}
              placeholder="1000"
              readOnly={readOnly}
              onChange={(events) =>
                set({ keep: events === undefined ? undefined : { events, seconds: topic.keep?.seconds ?? 600 } })
              }
            />
            <NumberRow
              label="Kept for so many seconds"
              value={topic.keep?.seconds}
              least={0}
              most={86_400}
              placeholder="600"
              readOnly={readOnly}
              onChange={(seconds) =>
                set({ keep: seconds === undefined ? undefined : { seconds, events: topic.keep?.events ?? 1000 } })
              }
            />
            <ExpressionRow
              label="Listeners get only events for which this holds"
              value={topic.door?.where ?? ''}
              rows={[]}
              readOnly={readOnly}
              onChange={(where) => setDoor({ where: where.trim() ? where : undefined })}
            />
            <ExpressionRow
              label={`Listeners get this, made of body, event${parameters.length ? ', parameters' : ''}`}
              value={topic.door?.data ?? ''}
              rows={[]}
              readOnly={readOnly}
              onChange={(data) => setDoor({ data: data.trim() ? data : undefined })}
            />
          </div>
          {(parameters.length > 0 || topic.parameters) && (
            <ParameterRows
              names={[...new Set([...parameters, ...Object.keys(topic.parameters ?? {})])]}
              said={topic.parameters}
              readOnly={readOnly}
              onChange={(said) => set({ parameters: said })}
            />
          )}
          {!readOnly && (
            <div>
              <button
                className="plain rust"
                onClick={() => put(Object.fromEntries(Object.entries(topics).filter(([n]) => n !== chosen)))}
              >
                Remove the topic {chosen}
              </button>
            </div>
          )}
          <Background document={d} topic={chosen} readOnly={readOnly} onChange={onChange} />
          <Live
            slug={slug}
            topic={chosen}
            parameters={parameters}
            environments={environments}
            sample={sampleText(topic, d)}
          />
          <Happening
            slug={slug}
            topic={chosen}
            environments={environments}
            callsBack={d.doors.some((door) => door.webhooks)}
            readOnly={readOnly ?? false}
          />
        </div>
      )}
    </div>
  );
}

function sampleText(topic: Topic, d: FlowDocument): string {
  const made = topic.schema ? sampleOf(topic.schema as JsonSchema, d.types ?? {}) : {};
  return JSON.stringify(JSON.parse(writeJson(made ?? {})), null, 2);
}

function BrokerList({
  brokers,
  readOnly,
  onChange,
}: {
  brokers: Brokers;
  readOnly?: boolean;
  onChange: (b: Brokers | undefined) => void;
}) {
  const [fresh, setFresh] = useState('');
  const set = (name: string, more: Partial<Brokers[string]>) =>
    onChange({ ...brokers, [name]: { ...brokers[name], ...more } });
  const add = () => {
    if (!NAME.test(fresh) || fresh in brokers) return;
    onChange({ ...brokers, [fresh]: { address: '' } });
    setFresh('');
  };
  return (
    <section aria-label="Brokers" className="column">
      <h3>Brokers</h3>
      {Object.entries(brokers).map(([name, b]) => (
        <div key={name} className="column">
          <div className="row">
            <span className="grow">{name}</span>
            {protocolOf(b.address ?? '') === 'nats' ? (
              <span className="soft nowrap">NATS</span>
            ) : (
              <ChoiceRow
                hideLabel
                label={`MQTT version of ${name}`}
                width={120}
                value={b.version ?? '5'}
                options={[
                  ['5', 'MQTT 5'],
                  ['3.1.1', 'MQTT 3.1.1'],
                ]}
                readOnly={readOnly}
                onChange={(version) => set(name, { version: version === '5' ? undefined : '3.1.1' })}
              />
            )}
          </div>
          <TextRow
            hideLabel
            mono
            label={`Address of ${name}`}
            value={b.address}
            placeholder="mqtt://127.0.0.1:1883 or nats://127.0.0.1:4222"
            readOnly={readOnly}
            onChange={(address) => set(name, { address })}
          />
        </div>
      ))}
      {!readOnly && (
        <div className="row">
          <TextField
            value={fresh}
            onChange={(e) => setFresh(e.target.value)}
            onKeyDown={(e) => e.key === 'Enter' && add()}
            placeholder="Name of a new broker"
            slotProps={{ htmlInput: { 'aria-label': 'Name of a new broker' } }}
          />
          <button className="plain spruce" onClick={add}>
            Add
          </button>
        </div>
      )}
    </section>
  );
}
