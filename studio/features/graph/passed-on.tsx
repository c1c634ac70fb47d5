'use client';
import type { FlowDocument } from '@hinge/core';
import { ChoiceRow, TextRow } from '../fold/fields';

type Way = NonNullable<NonNullable<FlowDocument['graph']>['subscriptions']>;

interface Props {
  readonly document: FlowDocument;
  readonly readOnly?: boolean;
  readonly onChange: (document: FlowDocument) => void;
}

/** How the backend that answers is asked for subscriptions. */
export function PassedOn({ document, readOnly, onChange }: Props) {
  const { subscriptions, ...graph } = document.graph ?? {};
  const put = (more: Partial<Way>) => {
    const { by = 'sse', path } = { by: subscriptions?.by, path: subscriptions?.path, ...more };
    const next: Way | undefined = by === 'sse' && path === undefined ? undefined : { by, ...(path && { path }) };
    onChange({ ...document, graph: { ...graph, ...(next && { subscriptions: next }) } });
  };
  return (
    <section aria-label="Subscriptions of the backend" className="column graph-joins" style={{ gap: 6 }}>
      <div className="row" style={{ gap: 12 }}>
        <h3>Subscriptions</h3>
        <span className="soft">are passed on to {graph.backend} by</span>
        <ChoiceRow
          hideLabel
          label="Subscriptions are passed on by"
          width={190}
          value={subscriptions?.by ?? 'sse'}
          options={[
            ['sse', 'Server-Sent Events'],
            ['websocket', 'WebSocket'],
          ]}
          readOnly={readOnly}
          onChange={(by) => put({ by: by === 'websocket' ? 'websocket' : 'sse' })}
        />
        <span className="soft">at the path</span>
        <TextRow
          hideLabel
          mono
          width={260}
          label="Path for subscriptions"
          value={subscriptions?.path}
          placeholder="that of its address"
          readOnly={readOnly}
          accept={(t) => t === '' || /^\/[^\s#]*$/.test(t)}
          onChange={(path) => put({ path })}
        />
      </div>
    </section>
  );
}
