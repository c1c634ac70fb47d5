'use client';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { keyTag } from '@hinge/core';
import { useState } from 'react';
import { useAct } from '../callers/use-act';
import { ChoiceRow } from '../fold/fields';

/** Makes every gateway of an environment forget what `remember` steps keep: all, what stands under a tag, or what has a key. */
export function Forget({ environments }: { environments: readonly string[] }) {
  const [environment, setEnvironment] = useState(environments[0] ?? '');
  const [by, setBy] = useState<'tag' | 'key'>('tag');
  const [tag, setTag] = useState('');
  const [done, setDone] = useState('');
  const { act, busy, told } = useAct();
  const forget = async () => {
    setDone('');
    const text = tag.trim();
    const body = { environment, ...(text && { tag: by === 'tag' ? text : keyTag(text.split(/\s*,\s*/)) }) };
    const answer = await act<{ count: number; gateways: number }>('POST', '/api/gateways/forget', body);
    if (answer)
      setDone(
        `${answer.count} ${answer.count === 1 ? 'reply' : 'replies'} forgotten at ${answer.gateways} ${answer.gateways === 1 ? 'gateway' : 'gateways'}`,
      );
  };
  return (
    <form
      className="row"
      aria-label="Remembered replies"
      onSubmit={(e) => {
        e.preventDefault();
        void forget();
      }}
    >
      <span className="soft">Remembered replies in</span>
      <ChoiceRow
        label="Environment"
        hideLabel
        width={140}
        value={environment}
        options={environments.map((e) => [e, e] as const)}
        onChange={setEnvironment}
      />
      <ChoiceRow
        label="By"
        hideLabel
        width={140}
        value={by}
        options={[
          ['tag', 'under a tag'],
          ['key', 'with a key'],
        ]}
        onChange={(v) => setBy(v as 'tag' | 'key')}
      />
      <TextField
        value={tag}
        onChange={(e) => setTag(e.target.value)}
        placeholder={by === 'tag' ? 'under any tag' : 'part, part'}
        slotProps={{ htmlInput: { 'aria-label': by === 'tag' ? 'Tag' : 'Parts of the key', className: 'mono' } }}
        sx={{ width: 180 }}
      />
      <Button type="submit" variant="outlined" disabled={busy || (by === 'key' && !tag.trim())}>
        Forget
      </Button>
      <span role="status" className="spruce">
        {done}
      </span>
      {told && <span className="rust">{told}</span>}
    </form>
  );
}
