'use client';
import Button from '@mui/material/Button';
import {
  effectiveGuards,
  eventOperation,
  GUARD_ORDER,
  type FlowDocument,
  type GuardDocument,
  withWorkspace,
  type Rehearsal,
  type ShownError,
  type ShownMessage,
  type ShownStep,
  type StepTyping,
} from '@hinge/core';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import type { RequestError } from '../../lib/client';
import { send } from '../../lib/client';
import { Moment } from '../shell/moment';
import { FoldView, milliseconds } from './fold-view';
import { layout } from './values';
import { NO_WORLD } from './world';
import { CodeView } from './code-view';

export interface StoredTrace {
  readonly id: string;
  readonly traceId: string;
  readonly at: string;
  readonly gateway: string;
  readonly api?: string;
  readonly release?: number;
  readonly environment?: string;
  readonly app?: string;
  readonly plan?: string;
  readonly door?: string;
  readonly operation?: string;
  readonly method: string;
  readonly url: string;
  readonly status: number;
  readonly ms: number;
  readonly backendMs: number;
  readonly request: ShownMessage;
  readonly reply: ShownMessage;
  readonly steps: readonly ShownStep[];
  readonly error?: ShownError;
  readonly offered?: readonly string[];
}

interface Props {
  readonly trace: StoredTrace;
  /** The released document that answered, and types along its flow. */
  readonly document?: FlowDocument;
  readonly typing: readonly StepTyping[];
  readonly editable: boolean;
  /** Of the workspace, as it is now. */
  readonly guards: readonly GuardDocument[];
}

/** A recorded request in the same Fold, read-only, with measured times. */
export function TraceFold({ trace, document, typing, editable, guards }: Props) {
  const router = useRouter();
  const [told, setTold] = useState('');
  const operation =
    trace.operation === undefined || !document
      ? undefined
      : (document.operations[trace.operation] ?? eventOperation(document, trace.operation));
  const keep = async () => {
    try {
      const made = await send<{ href: string }>('POST', `/api/traces/${trace.id}/keep`, {});
      router.push(made.href);
    } catch (error) {
      setTold((error as RequestError).message);
    }
  };
  const header = (
    <div className="fold-title">
      <Link href="/traffic" className="soft">
        Traces /
      </Link>
      <h1 className="cut">{trace.operation ?? 'no operation'}</h1>
      <span className="mono soft cut" title={trace.url}>
        {trace.method} {trace.url}
      </span>
      <span className="grow" />
      <span className="soft nowrap">
        <Moment at={trace.at} />
      </span>
      <span className="outcome">
        <strong className={trace.status >= 400 ? 'rust' : 'spruce'}>{trace.status}</strong> {milliseconds(trace.ms)}
        {trace.release === undefined ? '' : `, release ${trace.release}`}
      </span>
      {operation && editable && (
        <Button variant="contained" onClick={() => void keep()}>
          Keep as case
        </Button>
      )}
    </div>
  );
  const facts = (
    <footer className="fold-foot">
      <span>
        gateway {trace.gateway}, {trace.environment ?? 'no environment'}
        {trace.door ? `, door ${trace.door}` : ''}
        {trace.app ? `, app ${trace.app}` : ''}
        {trace.plan ? `, plan ${trace.plan}` : ''}
      </span>
      <span>
        backends {milliseconds(trace.backendMs)}, gateway {milliseconds(Math.max(0, trace.ms - trace.backendMs))}
      </span>
      <span className="grow" />
      <span className="mono">trace {trace.traceId}</span>
    </footer>
  );
  if (!operation || !document) return <Refused trace={trace} header={header} facts={facts} />;
  const rehearsal: Rehearsal = {
    request: trace.request,
    reply: { ...trace.reply, status: trace.status },
    steps: trace.steps,
    ms: trace.ms,
    error: trace.error,
  };
  const door = document.doors.find((d) => d.name === trace.door);
  return (
    <FoldView
      operation={operation}
      operationId={trace.operation!}
      guards={effectiveGuards(withWorkspace(document, guards), door, operation, GUARD_ORDER).map((g) => ({
        guard: g.guard,
        inherited: g.origin !== 'operation',
      }))}
      door={trace.door ?? 'none'}
      rehearsal={rehearsal}
      typing={typing}
      findings={[]}
      world={NO_WORLD}
      readOnly
      header={header}
      notice={
        told ? (
          <div className="fold-notice bad" role="alert">
            {told}
          </div>
        ) : undefined
      }
      footer={() => facts}
    />
  );
}

/** A request that no flow took: what came, what it was told, and what there would have been. */
function Refused({ trace, header, facts }: { trace: StoredTrace; header: React.ReactNode; facts: React.ReactNode }) {
  return (
    <div className="fold">
      {header}
      <div className="sheet" style={{ width: '100%', overflow: 'auto', flex: 1 }}>
        {trace.error && (
          <div className="told">
            <strong>{trace.error.status}</strong> {trace.error.message} <code className="soft">{trace.error.code}</code>
          </div>
        )}
        {trace.offered && (
          <div>
            <h2>{trace.api ? `What ${trace.api} offers` : 'Base paths on this gateway'}</h2>
            <div className="frame" style={{ marginTop: 6 }}>
              {trace.offered.map((o) => (
                <div key={o} className="mono" style={{ padding: '3px 12px' }}>
                  {o}
                </div>
              ))}
              {!trace.offered.length && (
                <div className="soft" style={{ padding: 12 }}>
                  Nothing is released to this gateway.
                </div>
              )}
            </div>
            <div className="soft" style={{ marginTop: 4 }}>
              Callers are not told this.
            </div>
          </div>
        )}
        <div>
          <h2>What the caller was told</h2>
          <div className="frame" style={{ marginTop: 6 }}>
            <CodeView text={layout(trace.reply)} />
          </div>
        </div>
      </div>
      {facts}
    </div>
  );
}
