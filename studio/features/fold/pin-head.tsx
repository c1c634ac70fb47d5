'use client';
import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import type { StepDocument, Wrapper } from '@hinge/core';
import { useState, type ReactNode } from 'react';

export type PinAct =
  'off' | 'left' | 'right' | 'copy' | 'remove' | 'unwrap' | 'pull' | 'note' | { readonly wrap: Wrapper };

const WRAPPERS: readonly Wrapper[] = ['choose', 'gather', 'each', 'attempt', 'remember'];

/** Kind and name of the chosen step, and everything that can be done with it as a whole. */
export function PinHead({
  step,
  place,
  readOnly,
  onName,
  onAct,
  children,
}: {
  step: StepDocument;
  /** Which pin it is, in words. */
  place: string;
  readOnly?: boolean;
  onName?: (name: string | undefined) => void;
  onAct?: (act: PinAct) => void;
  children?: ReactNode;
}) {
  const [menu, setMenu] = useState<HTMLElement | null>(null);
  const act = (a: PinAct) => () => {
    setMenu(null);
    onAct?.(a);
  };
  const composite = ['choose', 'gather', 'each', 'attempt', 'remember'].includes(step.kind);
  return (
    <div className="pin-head">
      <h2 className="nowrap">
        {step.kind}, {place}
      </h2>
      {step.off && <span className="brass">switched off</span>}
      {!readOnly && onName && (
        <input
          className="pin-name"
          aria-label="Name of the step"
          placeholder="name"
          defaultValue={step.name ?? ''}
          key={step.name ?? ''}
          onBlur={(e) => {
            const name = e.target.value.trim();
            if (name !== (step.name ?? '') && (name === '' || /^[A-Za-z_][A-Za-z0-9_ -]{0,99}$/.test(name)))
              onName(name || undefined);
          }}
          onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
        />
      )}
      <span className="grow" />
      {children}
      {!readOnly && onAct && (
        <>
          <button
            className="plain"
            aria-haspopup="menu"
            aria-label="What to do with this step"
            onClick={(e) => setMenu(e.currentTarget)}
          >
            step …
          </button>
          <Menu anchorEl={menu} open={menu !== null} onClose={() => setMenu(null)}>
            <MenuItem onClick={act('left')}>
              Move back <span className="grow" />
              <kbd>Alt ←</kbd>
            </MenuItem>
            <MenuItem onClick={act('right')}>
              Move on <span className="grow" />
              <kbd>Alt →</kbd>
            </MenuItem>
            <MenuItem onClick={act('copy')}>
              Copy <span className="grow" />
              <kbd>Ctrl D</kbd>
            </MenuItem>
            <MenuItem onClick={act('off')}>{step.off ? 'Switch on' : 'Switch off'}</MenuItem>
            <MenuItem onClick={act('note')}>
              {step.note === undefined ? 'Add a comment' : 'Remove the comment'}
            </MenuItem>
            {WRAPPERS.map((w) => (
              <MenuItem key={w} onClick={act({ wrap: w })}>
                Put inside {w === 'each' || w === 'attempt' ? 'an' : 'a'} {w}
              </MenuItem>
            ))}
            {composite && <MenuItem onClick={act('unwrap')}>Take the steps out of it</MenuItem>}
            <MenuItem onClick={act('pull')}>Make an internal operation of it</MenuItem>
            <MenuItem onClick={act('remove')} sx={{ color: 'var(--rust)' }}>
              Remove <span className="grow" />
              <kbd>Delete</kbd>
            </MenuItem>
          </Menu>
        </>
      )}
    </div>
  );
}
