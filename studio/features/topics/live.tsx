'use client';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { ChoiceRow } from '../fold/fields';
import { send, type RequestError } from '../../lib/client';
import { HeardBar, HeardList, pretty, useListener } from './heard';

interface Props {
  readonly slug: string;
  readonly topic: string;
  /** Names of those of its address. */
  readonly parameters: readonly string[];
  readonly environments: readonly { readonly name: string; readonly title: string }[];
  /** Data that fits the schema, to begin with. */
  readonly sample: string;
}

/** A listener and a publisher to try a topic with, on a gateway that runs it. */
export function Live({ slug, topic, parameters, environments, sample }: Props) {
  const [environment, setEnvironment] = useState(environments[0]?.name ?? '');
  const [key, setKey] = useState('');
  const [filter, setFilter] = useState('');
  const [heard, setHeard] = useState<Values>({});
  const [values, setValues] = useState<Values>({});
  const query = new URLSearchParams({ in: environment });
  for (const p of parameters) if (heard[p]) query.append(`value.${p}`, heard[p]);
  const l = useListener(`/api/apis/${slug}/topics/${topic}?${query.toString()}`, key);
  const [text, setText] = useState(sample);
  const [said, setSaid] = useState<{ readonly status: number; readonly text: string }>();
  const [busy, setBusy] = useState(false);
  // Listening leaves open what has no value; publishing needs all of them.
  const unset = parameters.filter((p) => !values[p]);
  const publish = async () => {
    setBusy(true);
    try {
      setSaid(
        await send<{ status: number; text: string }>('POST', `/api/apis/${slug}/topics/${topic}`, {
          in: environment,
          values,
          text,
          mediaType: text.includes('"specversion"') ? 'application/cloudevents+json' : 'application/json',
          ...(key && { key }),
        }),
      );
    } catch (error) {
      setSaid({ status: (error as RequestError).status, text: (error as Error).message });
    } finally {
      setBusy(false);
    }
  };
  return (
    <div className="live">
      <section aria-label="Listen">
        <div className="row">
          <h3 className="grow">Listen</h3>
          <ChoiceRow
            hideLabel
            label="Environment"
            width={130}
            value={environment}
            options={environments.map((e): [string, string] => [e.name, e.title])}
            onChange={setEnvironment}
          />
          {l.state !== 'off' ? (
            <Button variant="outlined" onClick={l.stop}>
              Stop
            </Button>
          ) : (
            <Button variant="contained" onClick={() => void l.start()}>
              Listen
            </Button>
          )}
        </div>
        <div className="row">
          <TextField
            value={filter}
            onChange={(e) => setFilter(e.target.value)}
            placeholder="Only events with this text"
            slotProps={{ htmlInput: { 'aria-label': 'Only events with this text' } }}
            sx={{ flex: 1 }}
          />
          <TextField
            value={key}
            type="password"
            autoComplete="off"
            onChange={(e) => setKey(e.target.value)}
            placeholder="key of an app, where one is asked for"
            slotProps={{ htmlInput: { 'aria-label': 'Key of an app' } }}
            sx={{ flex: 1 }}
          />
        </div>
        <ValueFields parameters={parameters} values={heard} what="Listen to" open onChange={setHeard} />
        <HeardBar l={l} />
        {l.told && (
          <div className="told" role="alert">
            {l.told}
          </div>
        )}
        <HeardList l={l} filter={filter} />
      </section>
      <section aria-label="Publish">
        <div className="row">
          <h3 className="grow">Publish</h3>
          <Button variant="outlined" disabled={busy || unset.length > 0} onClick={() => void publish()}>
            {busy ? 'Sending …' : 'Publish'}
          </Button>
        </div>
        <ValueFields parameters={parameters} values={values} what="Publish to" onChange={setValues} />
        <TextField
          multiline
          minRows={6}
          maxRows={16}
          fullWidth
          value={text}
          onChange={(e) => setText(e.target.value)}
          slotProps={{ htmlInput: { 'aria-label': 'Data of the event', className: 'mono', spellCheck: false } }}
        />
        {said && (
          <div className={said.status < 400 ? 'note' : 'told'} role="status">
            <strong>{said.status}</strong>
            <pre className="mono">{pretty(said.text)}</pre>
          </div>
        )}
      </section>
    </div>
  );
}

type Values = Readonly<Record<string, string>>;

/** A value for each parameter of the topic; `open`: those without one mean any. */
function ValueFields({
  parameters,
  values,
  what,
  open,
  onChange,
}: {
  readonly parameters: readonly string[];
  readonly values: Values;
  readonly what: string;
  readonly open?: boolean;
  readonly onChange: (values: Values) => void;
}) {
  if (!parameters.length) return null;
  return (
    <div className="row">
      {parameters.map((p) => (
        <TextField
          key={p}
          value={values[p] ?? ''}
          onChange={(e) => onChange({ ...values, [p]: e.target.value })}
          placeholder={open ? `any ${p}` : p}
          slotProps={{ htmlInput: { 'aria-label': `${what} ${p}`, className: 'mono', spellCheck: false } }}
          sx={{ flex: 1 }}
        />
      ))}
    </div>
  );
}
