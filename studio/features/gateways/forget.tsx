'use client';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { useAct } from '../callers/use-act';
import { ChoiceRow } from '../fold/fields';

/** Makes every gateway of an environment forget what `remember` steps keep: all, or what stands under a tag. */
export function Forget({ environments }: { environments: readonly string[] }) {
  const [environment, setEnvironment] = useState(environments[0] ?? '');
  const [tag, setTag] = useState('');
  const [done, setDone] = useState('');
  const { act, busy, told } = useAct();
  const forget = async () => {
    setDone('');
    const body = { environment, ...(tag.trim() && { tag: tag.trim() }) };
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
      <TextField
        value={tag}
        onChange={(e) => setTag(e.target.value)}
        placeholder="under any tag"
        slotProps={{ htmlInput: { 'aria-label': 'Tag', className: 'mono' } }}
        sx={{ width: 180 }}
      />
      <Button type="submit" variant="outlined" disabled={busy}>
        Forget
      </Button>
      <span role="status" className="spruce">
        {done}
      </span>
      {told && <span className="rust">{told}</span>}
    </form>
  );
}
