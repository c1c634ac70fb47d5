'use client';
import Autocomplete from '@mui/material/Autocomplete';
import Dialog from '@mui/material/Dialog';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import TextField from '@mui/material/TextField';
import { STEP_KINDS, type StepDocument } from '@hinge/core';
import type { FoldWorld } from './world';

type Kind = StepDocument['kind'];

/** A step of a kind as it is put in: as complete as can be without asking. */
export function freshStep(kind: Kind, world: FoldWorld): StepDocument {
  const backend = Object.keys(world.backends)[0];
  switch (kind) {
    case 'map':
      return { kind, to: 'reply', fields: [] };
    case 'call':
      return { kind, ...(backend !== undefined && { backend }) };
    case 'choose':
      return {
        kind,
        lines: [{ name: 'first', when: { of: 'method', is: 'equals', value: 'GET' }, flow: [] }],
        otherwise: [],
      };
    case 'gather':
      return {
        kind,
        lines: [
          { name: 'first', flow: [] },
          { name: 'second', flow: [] },
        ],
      };
    case 'each':
      return { kind, items: 'body', flow: [] };
    case 'attempt':
      return { kind, flow: [], failures: [{ on: ['any'], flow: [] }] };
    case 'remember':
      return { kind, seconds: 60, flow: [] };
    case 'convert':
      return { kind, to: 'json' };
    case 'set':
      return { kind, values: { value: 'body' } };
    case 'check':
      return { kind, against: 'request' };
    case 'publish':
      return { kind, topic: Object.keys(world.topics)[0] ?? 'events' };
    case 'reply':
      return { kind, example: 'auto' };
  }
}

/** Choose a kind by typing or by mouse; Enter takes the first that fits. */
export function NewStep({
  at,
  onClose,
  onChoose,
}: {
  at: string | undefined;
  onClose: () => void;
  onChoose: (kind: Kind) => void;
}) {
  return (
    // Gone at once: opened again while it fades it would still hold what was typed before.
    <Dialog
      open={at !== undefined}
      onClose={onClose}
      transitionDuration={{ exit: 0 }}
      fullWidth
      maxWidth="xs"
      aria-labelledby="new-step-title"
    >
      <DialogTitle id="new-step-title">Add a step</DialogTitle>
      <DialogContent sx={{ minHeight: 440 }}>
        <Autocomplete
          open
          autoHighlight
          disablePortal
          options={STEP_KINDS.map((k) => k.kind)}
          filterOptions={(options, { inputValue }) => {
            const typed = inputValue.toLowerCase();
            const starts = options.filter((k) => k.startsWith(typed));
            const others = options.filter((k) => !k.startsWith(typed) && wordsOf(k).includes(typed));
            return [...starts, ...others];
          }}
          onChange={(_e, kind) => kind && onChoose(kind)}
          renderInput={(params) => <TextField {...params} autoFocus placeholder="map, call, choose …" />}
          renderOption={({ key, ...props }, kind) => (
            <li key={key} {...props}>
              <span style={{ width: 84, flex: 'none', fontWeight: 650 }}>{kind}</span>
              <span className="soft">{wordsOf(kind)}</span>
            </li>
          )}
          slotProps={{
            listbox: {
              sx: { maxHeight: 400, '& .MuiAutocomplete-option': { fontSize: 13, py: '4px', minHeight: 32 } },
            },
            paper: { variant: 'outlined' },
          }}
          noOptionsText="No kind of step is called so."
        />
      </DialogContent>
    </Dialog>
  );
}

const wordsOf = (kind: Kind): string => STEP_KINDS.find((k) => k.kind === kind)?.words ?? '';
