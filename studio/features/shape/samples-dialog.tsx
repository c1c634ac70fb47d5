'use client';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import TextField from '@mui/material/TextField';
import { schemaOfSamples, takeEnum, typeRows, type HingeError, type JsonSchema, type SampleSchema } from '@hinge/core';
import { useMemo, useState } from 'react';

interface Props {
  readonly open: boolean;
  readonly onClose: () => void;
  readonly onUse: (schema: JsonSchema, sample: unknown, mediaType: string) => void;
}

/** Paste one or more samples, JSON or XML; the schema that all of them fit stands beside them while one types. */
export function SamplesDialog({ open, onClose, onUse }: Props) {
  const [texts, setTexts] = useState(['']);
  const [taken, setTaken] = useState<readonly string[]>([]);
  const made = useMemo((): { value?: SampleSchema; mistake?: string } => {
    if (texts.every((t) => !t.trim())) return {};
    try {
      return { value: schemaOfSamples(texts) };
    } catch (error) {
      return { mistake: (error as HingeError).finding?.message ?? (error as Error).message };
    }
  }, [texts]);
  const schema = made.value?.enums.filter((e) => taken.includes(e.pointer)).reduce(takeEnum, made.value.schema);
  const rows = useMemo(() => (schema ? typeRows({ properties: { body: schema } }, {}, 300).slice(1) : []), [schema]);
  return (
    <Dialog open={open} onClose={onClose} fullWidth maxWidth="md" aria-labelledby="samples-title">
      <DialogTitle id="samples-title">A schema from samples</DialogTitle>
      <DialogContent>
        <div style={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 18, minHeight: 360 }}>
          <div className="column">
            {texts.map((t, i) => (
              <TextField
                key={i}
                multiline
                minRows={texts.length > 1 ? 5 : 12}
                maxRows={16}
                value={t}
                autoFocus={i === 0}
                placeholder={
                  i
                    ? 'another sample: what is missing here is not needed'
                    : '{ "berth": "N-07" }  or  <berth number="N-07"/>'
                }
                onChange={(e) => setTexts(texts.map((x, n) => (n === i ? e.target.value : x)))}
                slotProps={{ htmlInput: { className: 'mono', 'aria-label': `Sample ${i + 1}` } }}
              />
            ))}
            <button className="plain spruce" onClick={() => setTexts([...texts, ''])}>
              Another sample
            </button>
          </div>
          <div className="column" aria-live="polite">
            {made.mistake && <div className="told">{made.mistake}</div>}
            {!made.value && !made.mistake && (
              <div className="soft">The schema stands here as soon as there is a sample.</div>
            )}
            {rows.length > 0 && (
              <div className="frame" style={{ overflow: 'auto', maxHeight: 420, padding: '6px 0' }}>
                {rows.map((r) => (
                  <div key={r.pointer} className="row" style={{ padding: `2px 12px 2px ${r.depth * 16}px`, gap: 8 }}>
                    <span className="mono">{r.name}</span>
                    <span className="soft">
                      {r.words}
                      {r.nullable ? ' or null' : ''}
                      {r.required ? ', needed' : ''}
                    </span>
                  </div>
                ))}
              </div>
            )}
            {made.value?.enums.map((e) => (
              <label key={e.pointer} className="row">
                <input
                  type="checkbox"
                  checked={taken.includes(e.pointer)}
                  onChange={(x) =>
                    setTaken(x.target.checked ? [...taken, e.pointer] : taken.filter((p) => p !== e.pointer))
                  }
                />
                <span>
                  <span className="mono">{e.pointer.slice(1).replace(/\//g, '.')}</span> is only ever{' '}
                  {e.values.join(', ')}
                </span>
              </label>
            ))}
          </div>
        </div>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button
          variant="contained"
          disabled={!schema}
          onClick={() => schema && onUse(schema, sampleValue(texts[0]!), made.value!.mediaType)}
        >
          Use this schema
        </Button>
      </DialogActions>
    </Dialog>
  );
}

function sampleValue(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return text;
  }
}
