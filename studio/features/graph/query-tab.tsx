'use client';
import { json } from '@codemirror/lang-json';
import { EditorView } from '@codemirror/view';
import Button from '@mui/material/Button';
import {
  graphLimits,
  graphOf,
  planQuery,
  readJson,
  unpackRehearsal,
  writeJson,
  type FlowDocument,
  type GraphCallMade,
  type PackedRehearsal,
  type Rehearsal,
} from '@hinge/core';
import CodeMirror from '@uiw/react-codemirror';
import { graphql } from 'cm6-graphql';
import { useMemo, useState, type KeyboardEvent } from 'react';
import { RequestError, send } from '../../lib/client';
import { CodeView } from '../fold/code-view';
import { editorLook } from '../fold/editor-look';
import { ChoiceRow } from '../fold/fields';
import { Calls, type Row } from './calls';
import { PassedOn } from './passed-on';
import { GuardedFields } from './guarded-fields';
import { JoinedFields } from './joined-fields';
import { KeptQueries } from './kept-queries';
import { Subscription } from './subscription';
import './graph.css';

interface Props {
  readonly slug: string;
  readonly document: FlowDocument;
  readonly environments: readonly { readonly name: string; readonly title: string }[];
  readonly readOnly?: boolean;
  readonly onChange: (document: FlowDocument) => void;
}

const VARIABLES = [...editorLook, EditorView.contentAttributes.of({ 'aria-label': 'Variables as JSON' }), json()];

interface Ran {
  readonly rehearsal: Rehearsal;
  readonly query: string;
}

/** A query against the graph of the draft: what it will call before it runs, what it called and how long that took behind it. */
export function QueryTab({ slug, document, environments, readOnly, onChange }: Props) {
  const key = `hinge query ${slug}`;
  const door = document.doors.find((d) => d.answers === 'graphql')!;
  const graph = useMemo(() => graphOf(document), [document]);
  const [query, setQuery] = useState(() => sessionStorage.getItem(key) ?? firstQuery(document));
  const [variables, setVariables] = useState('{}');
  const [environment, setEnvironment] = useState(environments[0]?.name ?? '');
  const [ran, setRan] = useState<Ran>();
  const [told, setTold] = useState('');
  const [busy, setBusy] = useState(false);
  const limits = graphLimits(document);
  const plan = useMemo(
    () =>
      planQuery(graph.schema, query, undefined, {
        listSize: graphLimits(document).listSize,
        costs: document.graph?.costs ?? {},
        objects: document.graph?.backend !== undefined,
      }),
    [graph, query, document],
  );
  const streams = typeof plan !== 'string' && plan.kind === 'subscription';

  const type = (text: string): void => {
    setQuery(text);
    sessionStorage.setItem(key, text);
  };
  const run = async () => {
    setBusy(true);
    setTold('');
    try {
      let given: unknown;
      try {
        given = JSON.parse(variables || '{}');
      } catch (error) {
        setTold(`The variables are not JSON: ${(error as Error).message}`);
        return;
      }
      const reply = await send<{ rehearsal?: PackedRehearsal; why?: string }>('POST', `/api/apis/${slug}/rehearse`, {
        document,
        environment,
        check: false,
        case: {
          name: 'query',
          operation: 'graph',
          door: door.name,
          request: {
            headers: { 'content-type': 'application/json', accept: 'application/graphql-response+json' },
            body: { query, variables: given },
          },
        },
      });
      if (reply.rehearsal) setRan({ rehearsal: unpackRehearsal(reply.rehearsal), query });
      else setTold(reply.why ?? 'No gateway answered.');
    } catch (error) {
      if (!(error instanceof RequestError)) throw error;
      setTold(error.message);
    } finally {
      setBusy(false);
    }
  };
  // Before the editor takes it for a new line.
  const keys = (e: KeyboardEvent): void => {
    if (e.key !== 'Enter' || !(e.ctrlKey || e.metaKey)) return;
    e.preventDefault();
    e.stopPropagation();
    if (!busy && typeof plan !== 'string' && !streams) void run();
  };

  const extensions = useMemo(
    () => [
      ...editorLook,
      EditorView.contentAttributes.of({ 'aria-label': 'Text of the query' }),
      ...graphql(graph.schema),
    ],
    [graph],
  );
  const made = ran?.query === query ? madeOf(ran.rehearsal) : undefined;
  const rows: readonly Row[] = made ?? (typeof plan === 'string' ? [] : plan.calls);
  const text = ran && textOf(ran.rehearsal);
  return (
    <div className="graph-query">
      <div className="row" style={{ gap: 14 }}>
        <ChoiceRow
          label="in"
          value={environment}
          options={environments.map((e) => [e.name, e.title] as const)}
          width={170}
          onChange={setEnvironment}
        />
        <Button variant="outlined" disabled={busy || typeof plan === 'string' || streams} onClick={() => void run()}>
          {busy ? 'Running …' : 'Run'}
        </Button>
        <span className="soft nowrap">
          <kbd>Ctrl Enter</kbd> runs, <kbd>Ctrl Space</kbd> completes
        </span>
        <span style={{ flex: 1 }} />
        {ran && (
          <span data-testid="query-outcome" className="nowrap">
            <b className={ran.rehearsal.reply.status < 400 ? 'spruce' : 'rust'}>{ran.rehearsal.reply.status}</b>{' '}
            {Math.round(ran.rehearsal.ms)} ms, this draft
          </span>
        )}
      </div>
      {told && (
        <div className="told" role="alert">
          {told}
        </div>
      )}
      <div className="graph-panes">
        <section aria-label="Query" onKeyDownCapture={keys}>
          <CodeMirror
            indentWithTab={false}
            value={query}
            onChange={type}
            extensions={extensions}
            basicSetup={{ foldGutter: false, highlightActiveLine: false }}
            theme="none"
            height="242px"
          />
          <h3>Variables</h3>
          <CodeMirror
            indentWithTab={false}
            value={variables}
            onChange={setVariables}
            extensions={VARIABLES}
            basicSetup={{ foldGutter: false, highlightActiveLine: false, lineNumbers: false }}
            theme="none"
            height="54px"
          />
        </section>
        <section aria-label="Answer" className="graph-answer">
          {streams ? (
            <Subscription slug={slug} environment={environment} query={query} variables={variables} />
          ) : text === undefined ? (
            <div className="empty">Run the query to see what a gateway answers; nothing has to be released for it.</div>
          ) : (
            <CodeView text={text} mediaType="application/json" />
          )}
        </section>
      </div>
      <Calls
        rows={rows}
        measured={made !== undefined}
        refused={made === undefined && ran?.query === query && ran.rehearsal.reply.status >= 400}
        problem={typeof plan === 'string' ? plan : undefined}
        cost={typeof plan === 'string' ? undefined : { most: plan.cost, allowed: limits.cost }}
        eachEvent={streams}
        slug={slug}
      />
      {document.graph?.backend === undefined && (
        <JoinedFields
          slug={slug}
          document={document}
          findings={graph.findings}
          readOnly={readOnly}
          onChange={onChange}
        />
      )}
      {document.graph?.backend !== undefined && graph.schema.getSubscriptionType() && (
        <PassedOn document={document} readOnly={readOnly} onChange={onChange} />
      )}
      <GuardedFields document={document} schema={graph.schema} readOnly={readOnly} onChange={onChange} />
      <KeptQueries
        document={document}
        query={query}
        valid={typeof plan !== 'string'}
        readOnly={readOnly}
        onOpen={type}
        onChange={onChange}
      />
    </div>
  );
}

/** Laid out, digits as they came; what is no JSON as it is. */
function textOf({ reply }: Rehearsal): string {
  const text = reply.text ?? reply.valueText ?? '';
  try {
    return writeJson(readJson(text), 2);
  } catch {
    return text;
  }
}

/** What the engine called, as the step of the graph noted it. */
function madeOf(r: Rehearsal): readonly Row[] | undefined {
  const notes = r.steps.find((s) => s.kind === 'graph')?.notes;
  const made = notes?.made as readonly GraphCallMade[] | undefined;
  if (!made) return undefined;
  const first = Math.min(...made.map((m) => m.startMs));
  return made.map((m) => ({
    field: m.fields[0]!,
    operation: m.operation,
    shared: m.fields.slice(1),
    fromMs: m.startMs - first,
    ms: m.ms,
    status: m.status,
  }));
}

const firstQuery = (document: FlowDocument): string =>
  document.graph?.sample ?? '# Ctrl Space says which fields there are.\n{\n  \n}\n';
