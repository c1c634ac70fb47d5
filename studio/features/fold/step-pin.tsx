'use client';
import type { Finding, OperationDocument, ShownStep, StepDocument, TypeRow } from '@hinge/core';
import type { RefObject } from 'react';
import { CallPin } from './call-pin';
import { EachPin, GatherPin } from './gather-pins';
import { AttemptPin, ChoosePin, RememberPin } from './line-pins';
import { MapPin } from './map-pin';
import { ConvertPin } from './convert-pin';
import { PublishPin } from './publish-pin';
import { CheckPin, ReplyPin, SetPin } from './plain-pin';
import type { FoldWorld } from './world';

interface Props {
  readonly step: StepDocument;
  readonly at: string;
  readonly operation: OperationDocument;
  readonly operationId: string;
  readonly world: FoldWorld;
  readonly frame: RefObject<HTMLDivElement | null>;
  readonly seen: ShownStep | undefined;
  readonly sourceRows: readonly TypeRow[];
  readonly targetRows: readonly TypeRow[];
  readonly after: unknown;
  readonly chosen: string | undefined;
  readonly findings: readonly Finding[];
  readonly allFindings: readonly Finding[];
  readonly readOnly?: boolean;
  readonly focusEditor: number;
  readonly unreached?: ReadonlySet<string>;
  /** Makes a case that takes a line. */
  readonly onCase?: (line: string) => void;
  readonly onChange: (step: StepDocument) => void;
  readonly onLeave: () => void;
  readonly onChoose: (pointer: string) => void;
  readonly onOpen: (at: string) => void;
  readonly onMapBefore?: () => void;
}

/** The editor of the chosen step; every kind has its own. */
export function StepPin(p: Props) {
  const { step } = p;
  const common = { at: p.at, seen: p.seen, rows: p.sourceRows, readOnly: p.readOnly, onChange: p.onChange };
  const lines = { ...common, unreached: p.unreached, onOpen: p.onOpen, onCase: p.onCase };
  switch (step.kind) {
    case 'map':
      return (
        <MapPin
          step={step}
          at={p.at}
          operationId={p.operationId}
          world={p.world}
          frame={p.frame}
          sourceRows={p.sourceRows}
          targetRows={p.targetRows}
          after={p.after}
          chosen={p.chosen}
          findings={p.allFindings}
          readOnly={p.readOnly}
          focusEditor={p.focusEditor}
          onChange={p.onChange}
          onLeave={p.onLeave}
          onChoose={p.onChoose}
        />
      );
    case 'call':
      return <CallPin {...common} step={step} world={p.world} findings={p.findings} onMapBefore={p.onMapBefore} />;
    case 'choose':
      return <ChoosePin {...lines} step={step} />;
    case 'gather':
      return <GatherPin {...lines} step={step} />;
    case 'each':
      return <EachPin {...lines} step={step} />;
    case 'attempt':
      return <AttemptPin {...lines} step={step} />;
    case 'remember':
      return <RememberPin {...lines} step={step} />;
    case 'set':
      return <SetPin {...common} step={step} />;
    case 'convert':
      return (
        <ConvertPin
          step={step}
          types={p.world.types}
          table={p.world.table}
          before={p.seen?.before}
          readOnly={p.readOnly}
          onChange={p.onChange}
        />
      );
    case 'check':
      return <CheckPin {...common} step={step} types={p.world.types} operation={p.operation} />;
    case 'publish':
      return <PublishPin {...common} step={step} topics={p.world.topics} />;
    case 'reply':
      return <ReplyPin {...common} step={step} operation={p.operation} />;
  }
}
