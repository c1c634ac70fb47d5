'use client';
import Button from '@mui/material/Button';
import type { DocumentChanges, OperationChange, StepChange } from '@hinge/core';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import { send, type RequestError } from '../../lib/client';
import { Difference } from '../fold/difference';
import { ChoiceRow } from '../fold/fields';
import { yamlOf } from '../fold/values';
import type { Version } from './versions-server';

interface Props {
  readonly slug: string;
  readonly name: string;
  readonly versions: readonly Version[];
  readonly from: number;
  readonly to: number;
  readonly newest: number;
  readonly operation?: string;
  readonly changes: DocumentChanges | undefined;
  readonly editable: boolean;
}

const WORDS = { same: 'as it was', changed: 'changed', added: 'new', removed: 'gone' } as const;
const TONES = { same: 'soft', changed: 'brass', added: 'spruce', removed: 'rust' } as const;

/** Two versions of an API beside each other: operations, and their flows step by step. */
export function Versions({ slug, name, versions, from, to, newest, operation, changes, editable }: Props) {
  const router = useRouter();
  const [told, setTold] = useState('');
  const show = (f: number, t: number, o = operation) =>
    router.push(`/apis/${slug}/versions?from=${f}&to=${t}${o ? `&operation=${encodeURIComponent(o)}` : ''}`);
  const options = versions.map(
    (v) =>
      [
        String(v.revision),
        `draft ${v.revision}${v.releases.length ? `, release ${v.releases.join(', ')}` : ''}: ${v.by}, ${v.at.slice(0, 16).replace('T', ' ')}`,
      ] as const,
  );
  const goBack = async () => {
    try {
      const old = await send<{ document: unknown }>('GET', `/api/apis/${slug}/draft?revision=${from}`);
      const saved = await send<{ revision: number }>('POST', `/api/apis/${slug}/draft`, {
        base: newest,
        document: old.document,
      });
      show(newest, saved.revision);
      router.refresh();
    } catch (error) {
      setTold((error as RequestError).message);
    }
  };
  const all = changes?.operations ?? [];
  const touched = all.filter((o) => o.change !== 'same');
  const shown = operation ? all.filter((o) => o.id === operation) : touched;
  return (
    <>
      <div className="title">
        <span className="soft">
          <Link href="/apis">APIs</Link> / <Link href={`/apis/${slug}`}>{name}</Link> /
        </span>
        <h1>Versions</h1>
      </div>
      <div className="row">
        <ChoiceRow
          label="from"
          width={380}
          value={String(from)}
          options={options}
          onChange={(v) => show(Number(v), to)}
        />
        <Button onClick={() => show(to, from)} aria-label="Swap the two">
          ⇄
        </Button>
        <ChoiceRow
          label="to"
          width={380}
          value={String(to)}
          options={options}
          onChange={(v) => show(from, Number(v))}
        />
        <span className="grow" />
        {editable && from !== newest && (
          <Button
            variant="outlined"
            onClick={() => void goBack()}
            title={`Saves draft ${from} again as the newest draft; nothing is lost`}
          >
            Go back to draft {from}
          </Button>
        )}
      </div>
      {told && (
        <div className="told" role="alert">
          {told}
        </div>
      )}
      {!changes && <div className="told">One of the two versions is not there any more.</div>}
      {changes && (
        <>
          <div className="soft" role="status">
            {touched.length || changes.parts.length
              ? `${touched.length} of ${all.length} operations differ${changes.parts.length ? `; so do ${changes.parts.map((p) => p.name).join(', ')}` : ''}.`
              : 'The two say the same.'}{' '}
            {operation && (
              <button
                className="plain spruce"
                onClick={() => router.push(`/apis/${slug}/versions?from=${from}&to=${to}`)}
              >
                Show all that differ
              </button>
            )}
          </div>
          {shown.map((o) => (
            <Operation key={o.id} slug={slug} change={o} />
          ))}
          {!operation &&
            changes.parts.map((p) => (
              <section key={p.name} className="frame version">
                <h2>{p.name}</h2>
                <Difference before={yamlOf(p.before)} after={yamlOf(p.after)} />
              </section>
            ))}
        </>
      )}
    </>
  );
}

function Operation({ slug, change: o }: { slug: string; change: OperationChange }) {
  return (
    <section className="frame version" aria-label={`Changes of ${o.id}`}>
      <h2>
        {o.change === 'removed' ? o.id : <Link href={`/apis/${slug}/${o.id}`}>{o.id}</Link>}{' '}
        <span className={TONES[o.change]}>{WORDS[o.change]}</span>
      </h2>
      {o.shape === 'changed' && (
        <details open>
          <summary>What callers see, and guards</summary>
          <Difference context before={yamlOf(o.before)} after={yamlOf(o.after)} />
        </details>
      )}
      <ol className="version-steps">
        {o.steps.map((s, n) => (
          <Step key={n} step={s} />
        ))}
      </ol>
    </section>
  );
}

function Step({ step: s }: { step: StepChange }) {
  const doc = (s.after ?? s.before)!;
  const what = doc.kind === 'call' ? [doc.backend, doc.api, doc.operation].filter(Boolean).join(' / ') : '';
  return (
    <li style={{ marginLeft: s.depth * 20 }} className={`version-${s.change}`}>
      {s.part !== undefined && <div className="soft">{s.part}</div>}
      <span className={`version-mark ${TONES[s.change]}`} aria-hidden>
        {{ same: '·', changed: '≠', added: '+', removed: '−' }[s.change]}
      </span>
      <span className={s.change === 'same' ? 'soft' : ''}>
        {s.kind} <span className="mono">{doc.name ?? what}</span>
      </span>{' '}
      {s.change !== 'same' && <span className={TONES[s.change]}>{WORDS[s.change]}</span>}
      {s.change !== 'same' && (
        <Difference context before={s.before ? yamlOf(s.before) : ''} after={s.after ? yamlOf(s.after) : ''} />
      )}
    </li>
  );
}
