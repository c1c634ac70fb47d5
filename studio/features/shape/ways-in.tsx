'use client';
import { waysIn, type ActingGuard, type FlowDocument, type GuardDocument, type WayIn } from '@hinge/core';
import { useMemo, useState } from 'react';
import { ChoiceRow, TextRow } from '../fold/fields';
import { factsOf } from './guards-editor';

interface Props {
  readonly document: FlowDocument;
  readonly workspace: readonly GuardDocument[];
}

const SHOWN = 200;
type Which = 'all' | 'open' | 'asked';

/** Every way in and what acts there, with the scope that each guard comes from. Those that ask nobody who calls stand out. */
export function WaysIn({ document, workspace }: Props) {
  const ways = useMemo(() => waysIn(document, workspace), [document, workspace]);
  const [words, setWords] = useState<string>();
  const [which, setWhich] = useState<Which>('all');
  const open = ways.filter((w) => w.open).length;
  const found = ways.filter(
    (w) => (which === 'all' || w.open === (which === 'open')) && textOf(w).includes((words ?? '').toLowerCase()),
  );
  const plans = Object.entries(document.plans ?? {}).filter(([, p]) => p.guards?.length);
  return (
    <>
      <div className="row" style={{ gap: 12 }}>
        <h2>What acts where</h2>
        <span className="soft">{summary(ways.length, open)}</span>
        <span className="grow" />
        {ways.length > 0 && (
          <>
            <TextRow
              hideLabel
              width={190}
              label="Find a way in"
              value={words}
              placeholder="path, name or guard"
              onChange={setWords}
            />
            <ChoiceRow<Which>
              hideLabel
              label="Which ways in"
              width={180}
              value={which}
              options={[
                ['all', 'all ways in'],
                ['asked', 'who calls is asked'],
                ['open', 'who calls is not asked'],
              ]}
              onChange={setWhich}
            />
          </>
        )}
      </div>
      {ways.length > 0 && (
        <div className="frame">
          <table aria-label="What acts where">
            <thead>
              <tr>
                <th>Way in</th>
                <th>Leads to</th>
                <th>Guards in the order in which they act</th>
              </tr>
            </thead>
            <tbody>
              {found.slice(0, SHOWN).map((w) => (
                <tr key={`${w.door} ${w.method} ${w.path} ${w.kind} ${w.name}`}>
                  <td className="mono cut" title={`${w.method} ${w.path}`} style={{ maxWidth: 300 }}>
                    {w.kind === 'field' ? (
                      <span className="soft">in {w.path}</span>
                    ) : (
                      <>
                        {w.method} {w.path}
                      </>
                    )}
                  </td>
                  <td className="cut" title={w.name} style={{ maxWidth: 220 }}>
                    {w.name}
                  </td>
                  <td>
                    <Acting way={w} />
                  </td>
                </tr>
              ))}
              {!found.length && (
                <tr>
                  <td colSpan={3} className="soft">
                    No way in is like that.
                  </td>
                </tr>
              )}
              {found.length > SHOWN && (
                <tr>
                  <td colSpan={3} className="soft">
                    {found.length - SHOWN} more: narrow them down by a path, a name or a guard.
                  </td>
                </tr>
              )}
            </tbody>
          </table>
        </div>
      )}
      {plans.length > 0 && (
        <div className="soft">
          Besides, for callers by their plan:{' '}
          {plans.map(([, p]) => `${p.name}: ${p.guards!.map(wordsOf).join(', ')}`).join('; ')}.
        </div>
      )}
    </>
  );
}

function Acting({ way }: { way: WayIn }) {
  return (
    <span>
      {way.guards.map((g, i) => (
        <span key={g.guard.kind} className="nowrap">
          {i > 0 && ', '}
          <strong style={{ fontWeight: 600 }}>{wordsOf(g.guard)}</strong>
          <span className="soft"> {FROM[g.origin]}</span>
        </span>
      ))}
      {way.kind === 'field' && <span className="soft">{', besides those of the graph'}</span>}
      {way.open && (
        <span className="brass">{way.guards.length ? '; who calls is not asked' : 'who calls is not asked'}</span>
      )}
    </span>
  );
}

const FROM: Record<ActingGuard['origin'], string> = {
  workspace: 'of the workspace',
  api: 'of all doors',
  door: 'of the door',
  operation: 'of the operation',
  topic: 'of the topic',
  field: 'of the field',
  plan: 'of the plan',
};

const wordsOf = (g: GuardDocument): string => {
  const facts = factsOf(g).replace(/,$/, '');
  return facts ? `${g.kind} (${facts})` : g.kind;
};

const textOf = (w: WayIn): string =>
  `${w.method} ${w.path} ${w.name} ${w.guards.map((g) => `${g.guard.kind} ${FROM[g.origin]}`).join(' ')}`.toLowerCase();

function summary(all: number, open: number): string {
  if (!all) return 'no way in: there is no door';
  const at = open === 0 ? 'each' : open === all ? 'none' : `${all - open} of them`;
  if (all > 1) return `${all} ways in; who calls is asked at ${at}`;
  return `one way in; who calls is ${open ? 'not ' : ''}asked`;
}
