'use client';
import { walkFlow, type StepDocument } from '@hinge/core';
import Autocomplete from '@mui/material/Autocomplete';
import TextField from '@mui/material/TextField';
import { useMemo, useState } from 'react';

interface Found {
  readonly at: string;
  readonly words: string;
  readonly text: string;
}

/** Find a step by its kind, its name, or anything that stands in it. */
export function FlowSearch({ flow, onOpen }: { flow: readonly StepDocument[]; onOpen: (at: string) => void }) {
  const [open, setOpen] = useState(false);
  const all = useMemo(() => {
    const out: Found[] = [];
    walkFlow(flow, (step, at) => {
      const { lines: _l, flow: _f, otherwise: _o, failures: _x, ...own } = step as unknown as Record<string, unknown>;
      out.push({
        at,
        words: `${step.kind}${step.name ? ` ${step.name}` : ''}`,
        text: JSON.stringify(own).toLowerCase(),
      });
    });
    return out;
  }, [flow]);
  if (!open)
    return (
      <button className="plain" onClick={() => setOpen(true)}>
        find in the flow
      </button>
    );
  return (
    <Autocomplete
      size="small"
      openOnFocus
      autoHighlight
      blurOnSelect
      options={all}
      getOptionLabel={(o) => `${o.words}, ${o.at}`}
      getOptionKey={(o) => o.at}
      filterOptions={(options, { inputValue }) =>
        options.filter((o) => o.text.includes(inputValue.toLowerCase())).slice(0, 50)
      }
      onChange={(_e, o) => {
        setOpen(false);
        if (o) onOpen(o.at);
      }}
      onBlur={() => setOpen(false)}
      sx={{ width: 240, '& .MuiOutlinedInput-root': { minHeight: 26, height: 26, py: 0 } }}
      renderInput={(params) => <TextField {...params} autoFocus placeholder="kind, name, backend, field …" />}
      noOptionsText="Nothing like this stands in the flow."
    />
  );
}
