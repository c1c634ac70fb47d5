'use client';
import {
  changeSeries,
  partsOf,
  stepKind,
  type FlowDocument,
  type OperationDocument,
  type StepDocument,
} from '@hinge/core';
import { useRef, useState } from 'react';
import { ChoiceRow, moved, RowMoves } from '../fold/fields';
import { freshStep } from '../fold/new-step';
import { StepPin } from '../fold/step-pin';
import { NO_WORLD, worldWith } from '../fold/world';

interface Props {
  readonly label: string;
  readonly document: FlowDocument;
  readonly flow: readonly StepDocument[];
  /** Behind the flow: messages are replies. */
  readonly after?: boolean;
  readonly readOnly?: boolean;
  readonly onChange: (flow: StepDocument[]) => void;
}

const KINDS = ['map', 'convert', 'set', 'check', 'choose', 'attempt', 'reply'] as const;
type Kind = (typeof KINDS)[number];
const NONE: OperationDocument = { method: 'ANY', path: '/*', flow: [] };

/** A short series of steps in rows, each with the editor of its kind; steps inside steps below it. */
export function DoorSteps({ label, document, flow, after, readOnly, onChange }: Props) {
  const frame = useRef<HTMLDivElement>(null);
  const [open, setOpen] = useState<number>();
  const world = worldWith(NO_WORLD, document);
  const put = (i: number, step: StepDocument) => onChange(flow.map((s, n) => (n === i ? step : s)));
  const add = (kind: Kind) => {
    const made: StepDocument =
      kind === 'map' ? { kind, to: after ? 'reply' : 'request', whole: 'body' } : freshStep(kind, world);
    onChange([...flow, made]);
    setOpen(flow.length);
  };
  return (
    <div className="door-steps" ref={frame} role="group" aria-label={`Steps ${label}`}>
      {flow.map((step, i) => (
        <div key={i} className="door-step">
          <div className="row">
            <button
              className="plain spruce"
              aria-expanded={open === i}
              onClick={() => setOpen(open === i ? undefined : i)}
            >
              {step.kind} {step.name ?? stepKind(step.kind).label?.(step as never)}
            </button>
            <span className="grow" />
            <RowMoves
              index={i}
              count={flow.length}
              what={`step ${i + 1} ${label}`}
              readOnly={readOnly}
              onMove={(to) => onChange(moved(flow, i, to))}
              onRemove={() => onChange(flow.filter((_s, n) => n !== i))}
            />
          </div>
          {open === i && (
            <StepPin
              step={step}
              at={`/${i}`}
              operation={NONE}
              operationId=""
              world={world}
              frame={frame}
              seen={undefined}
              sourceRows={[]}
              targetRows={[]}
              after={undefined}
              chosen={undefined}
              findings={[]}
              allFindings={[]}
              readOnly={readOnly}
              focusEditor={0}
              onChange={(s) => put(i, s)}
              onLeave={() => undefined}
              onChoose={() => undefined}
              onOpen={() => undefined}
            />
          )}
          {open === i &&
            partsOf(step).map((part) => (
              <div key={part.pointer}>
                <div className="soft">{part.name}</div>
                <DoorSteps
                  label={`of ${part.name} ${label}`}
                  document={document}
                  flow={part.flow}
                  after={after}
                  readOnly={readOnly}
                  onChange={(inner) => put(i, changePart(step, part.pointer, inner))}
                />
              </div>
            ))}
        </div>
      ))}
      {!readOnly && (
        <div className="row">
          <ChoiceRow
            hideLabel
            label={`Add a step ${label}`}
            width={170}
            value=""
            options={[['', 'add a step …'], ...KINDS.map((k): [string, string] => [k, k])]}
            onChange={(k) => k && add(k as Kind)}
          />
        </div>
      )}
    </div>
  );
}

/** The step with another flow in one of its parts. */
function changePart(step: StepDocument, pointer: string, flow: StepDocument[]): StepDocument {
  return changeSeries([step], `/0${pointer}`, () => flow)[0]!;
}
