'use client';
import { topicParameters, type FlowDocument } from '@hinge/core';
import { GuardsEditor } from '../shape/guards-editor';
import { ChoiceRow, ExpressionRow, NumberRow, TextRow } from '../fold/fields';
import { GivenRows } from './parameters';

type Consumer = NonNullable<FlowDocument['consumers']>[string];
type Poll = NonNullable<FlowDocument['polls']>[string];
type Topic = NonNullable<FlowDocument['topics']>[string];
type Callback = NonNullable<NonNullable<Topic['door']>['callback']>;

interface Props {
  readonly document: FlowDocument;
  /** Name of the topic. */
  readonly topic: string;
  readonly readOnly?: boolean;
  readonly onChange: (document: FlowDocument) => void;
}

/** What a gateway does with a topic without a caller: its events run operations, changes of a reply become events, and others call back. */
export function Background({ document: d, topic, readOnly, onChange }: Props) {
  const consumers = Object.entries(d.consumers ?? {}).filter(([, c]) => c.topic === topic);
  const polls = Object.entries(d.polls ?? {}).filter(([, p]) => p.topic === topic);
  const callback = d.topics?.[topic]?.door?.callback;
  const parameters = topicParameters(topic, d.topics?.[topic] ?? {});
  // Nobody is there to give them what they need, but the event what its topic knows.
  const free = (given: readonly string[]) =>
    Object.entries(d.operations).filter(
      ([, o]) => !(o.parameters ?? []).some((p) => (p.in === 'path' ? !given.includes(p.name) : p.required)),
    );
  const takers = free(parameters).map(([id]) => id);
  const safe = free([])
    .filter(([, o]) => o.method === 'GET' || o.method === 'HEAD')
    .map(([id]) => id);

  const putConsumer = (name: string, c: Consumer | undefined) =>
    onChange({ ...d, consumers: withEntry(d.consumers, name, c) });
  const putPoll = (name: string, p: Poll | undefined) => onChange({ ...d, polls: withEntry(d.polls, name, p) });
  const putCallback = (c: Callback | undefined) => {
    const t = d.topics![topic]!;
    const door = defined({ ...t.door, callback: c });
    onChange({
      ...d,
      topics: { ...d.topics, [topic]: defined({ ...t, door: Object.keys(door).length ? door : undefined }) },
    });
  };
  return (
    <section aria-label="Without a caller" className="column">
      <div className="row" style={{ gap: 14 }}>
        <h3 style={{ margin: 0 }}>Without a caller</h3>
        <span className="soft">what a gateway does by itself, once this is released</span>
        <span className="grow" />
        {!readOnly && (
          <>
            <button
              className={`plain ${takers.length ? 'spruce' : 'soft'}`}
              disabled={!takers.length}
              onClick={() =>
                putConsumer(freshName(d.consumers, topic), {
                  topic,
                  operation: takers.find((id) => d.operations[id]!.method === 'POST') ?? takers[0]!,
                })
              }
            >
              Run an operation
            </button>
            <button
              className={`plain ${safe.length ? 'spruce' : 'soft'}`}
              disabled={!safe.length}
              title={safe.length ? undefined : 'No GET operation can be called without a parameter'}
              onClick={() => putPoll(freshName(d.polls, topic), { topic, operation: safe[0]!, everySeconds: 60 })}
            >
              Watch a reply
            </button>
            {!callback && (
              <button
                className="plain spruce"
                onClick={() =>
                  putCallback({
                    path: `${pathFor(topic, parameters)}/callback`,
                    guards: [{ kind: 'signature', secret: 'signingSecret' }],
                  })
                }
              >
                Be called back
              </button>
            )}
          </>
        )}
      </div>
      {!readOnly && !takers.length && (
        <div className="soft">No operation can run by itself: each needs a parameter that only a caller has.</div>
      )}
      {consumers.map(([name, c]) => (
        <Card
          key={name}
          title={`Events run ${c.operation}`}
          what={`consumer ${name}`}
          off={c.off}
          readOnly={readOnly}
          onOff={(off) => putConsumer(name, defined({ ...c, off }))}
          onRemove={() => putConsumer(name, undefined)}
        >
          <ChoiceRow
            label="Operation"
            value={c.operation}
            options={optionsOf(takers, c.operation)}
            readOnly={readOnly}
            onChange={(operation) => putConsumer(name, { ...c, operation })}
          />
          <ExpressionRow
            label="Only for events for which this holds"
            value={c.where ?? ''}
            rows={[]}
            readOnly={readOnly}
            onChange={(where) => putConsumer(name, defined({ ...c, where: where.trim() ? where : undefined }))}
          />
          <NumberRow
            label="Tries before an event is laid aside"
            value={c.attempts}
            width={240}
            least={1}
            most={20}
            placeholder="8"
            readOnly={readOnly}
            onChange={(attempts) => putConsumer(name, defined({ ...c, attempts }))}
          />
          <ChoiceRow
            label="Laid aside in"
            value={c.dead ?? ''}
            options={[
              ['', 'nowhere: it is told in the log'],
              ...Object.keys(d.topics ?? {})
                .filter((t) => t !== topic)
                .map((t): [string, string] => [t, `the topic ${t}`]),
            ]}
            readOnly={readOnly}
            onChange={(dead) => putConsumer(name, defined({ ...c, dead: dead || undefined }))}
          />
        </Card>
      ))}
      {polls.map(([name, p]) => (
        <Card
          key={name}
          title={`Changes of ${p.operation} are events`}
          what={`poll ${name}`}
          off={p.off}
          readOnly={readOnly}
          onOff={(off) => putPoll(name, defined({ ...p, off }))}
          onRemove={() => putPoll(name, undefined)}
        >
          <ChoiceRow
            label="Operation"
            value={p.operation}
            options={optionsOf(safe, p.operation)}
            readOnly={readOnly}
            onChange={(operation) => putPoll(name, { ...p, operation })}
          />
          <NumberRow
            label="Called every so many seconds"
            value={p.everySeconds}
            width={240}
            least={1}
            most={86_400}
            readOnly={readOnly}
            onChange={(everySeconds) => everySeconds !== undefined && putPoll(name, { ...p, everySeconds })}
          />
          <GivenRows
            names={parameters}
            given={p.parameters}
            rows={[]}
            readOnly={readOnly}
            onChange={(given) => putPoll(name, defined({ ...p, parameters: given }))}
          />
          {(
            [
              ['items', 'Things in the reply; the body itself when empty'],
              ['key', 'What tells one from another; its place when empty'],
              ['version', 'What changes with it; the whole thing when empty'],
            ] as const
          ).map(([part, label]) => (
            <ExpressionRow
              key={part}
              label={label}
              value={p[part] ?? ''}
              rows={[]}
              readOnly={readOnly}
              onChange={(v) => putPoll(name, defined({ ...p, [part]: v.trim() ? v : undefined }))}
            />
          ))}
          <ChoiceRow
            label="What the first look finds"
            value={p.first ?? 'quiet'}
            options={[
              ['quiet', 'is known, and no event'],
              ['all', 'is an event each'],
            ]}
            readOnly={readOnly}
            onChange={(first) =>
              putPoll(name, defined({ ...p, first: first === 'all' ? ('all' as const) : undefined }))
            }
          />
        </Card>
      ))}
      {callback && (
        <Card
          title="Others call back with events"
          what="callback"
          readOnly={readOnly}
          onRemove={() => putCallback(undefined)}
        >
          <TextRow
            label="Path below the door"
            mono
            value={callback.path}
            readOnly={readOnly}
            accept={(t) => /^\/[^?#*]*$/.test(t)}
            onChange={(path) => path !== undefined && putCallback({ ...callback, path })}
          />
          <TextRow
            label="Header that names a delivery"
            mono
            value={callback.once}
            placeholder="none: each is an event"
            readOnly={readOnly}
            onChange={(once) => putCallback(defined({ ...callback, once }))}
          />
          <ExpressionRow
            label="Only what this holds for"
            value={callback.where ?? ''}
            rows={[]}
            readOnly={readOnly}
            onChange={(v) => putCallback(defined({ ...callback, where: v.trim() ? v : undefined }))}
          />
          <ExpressionRow
            label="The data of the event; the body when empty"
            value={callback.data ?? ''}
            rows={[]}
            readOnly={readOnly}
            onChange={(v) => putCallback(defined({ ...callback, data: v.trim() ? v : undefined }))}
          />
          <TextRow
            label="Query parameter given back to who asks"
            mono
            value={callback.challenge}
            placeholder="hub.challenge"
            readOnly={readOnly}
            onChange={(challenge) => putCallback(defined({ ...callback, challenge }))}
          />
          <div style={{ gridColumn: '1 / -1' }}>
            <GuardsEditor
              label={`of the callback of ${topic}`}
              guards={callback.guards}
              readOnly={readOnly}
              // Without one anybody could make events.
              onChange={(guards) => guards && putCallback({ ...callback, guards })}
            />
          </div>
        </Card>
      )}
    </section>
  );
}

function Card({
  title,
  what,
  off,
  readOnly,
  onOff,
  onRemove,
  children,
}: {
  title: string;
  what: string;
  off?: boolean;
  readOnly?: boolean;
  onOff?: (off: true | undefined) => void;
  onRemove: () => void;
  children: React.ReactNode;
}) {
  return (
    <div className="frame column topic-work" role="group" aria-label={what}>
      <div className="row" style={{ gap: 14 }}>
        <b className="grow cut">{title}</b>
        {off && <span className="brass">switched off</span>}
        {!readOnly && onOff && (
          <button
            className="plain soft"
            aria-label={`Switch the ${what} ${off ? 'on' : 'off'}`}
            onClick={() => onOff(off ? undefined : true)}
          >
            {off ? 'Switch on' : 'Switch off'}
          </button>
        )}
        {!readOnly && (
          <button className="plain rust" aria-label={`Remove the ${what}`} onClick={onRemove}>
            Remove
          </button>
        )}
      </div>
      <div className="topic-form">{children}</div>
    </div>
  );
}

const pathFor = (topic: string, parameters: readonly string[]): string =>
  `/${[topic, ...parameters.map((p) => `{${p}}`)].join('/')}`;

/** Also what is set and cannot be chosen: the check says why. */
const optionsOf = (ids: readonly string[], set: string): [string, string][] =>
  (ids.includes(set) ? ids : [...ids, set]).map((id) => [id, id]);

function withEntry<V>(all: Readonly<Record<string, V>> | undefined, name: string, value: V | undefined) {
  const next = { ...all };
  if (value === undefined) delete next[name];
  else next[name] = value;
  return Object.keys(next).length ? next : undefined;
}

function freshName(all: Readonly<Record<string, unknown>> | undefined, base: string): string {
  for (let n = 1; ; n++) {
    const name = n === 1 ? base : `${base}-${n}`;
    if (!all || !(name in all)) return name;
  }
}

/** Without what is not set. */
const defined = <T extends object>(o: T): T =>
  Object.fromEntries(Object.entries(o).filter(([, v]) => v !== undefined)) as T;
