'use client';
import Button from '@mui/material/Button';
import Tab from '@mui/material/Tab';
import Tabs from '@mui/material/Tabs';
import {
  firstCase,
  removeOperation,
  renameOperation,
  type Finding,
  type FlowDocument,
  type GuardDocument,
} from '@hinge/core';
import Link from 'next/link';
import { useEffect, useState } from 'react';
import { send } from '../../lib/client';
import { ApiOperations } from '../apis/api-operations';
import { ReleaseButton } from '../releases/release-button';
import { useDraft } from '../fold/use-draft';
import { useShortcuts } from '../fold/use-shortcuts';
import { QueryTab } from '../graph/query-tab';
import { AboutTab } from './about-tab';
import { DoorsTab } from './doors-tab';
import { NewOperation } from './new-operation';
import { OperationDrawer } from './operation-drawer';
import { PlansTab } from './plans-tab';
import { useSavedLinks } from './saved-links';
import { TextPanel } from './text-panel';
import { TopicsTab } from './topics-tab';
import { TypesTab } from './types-tab';

interface Props {
  readonly slug: string;
  readonly draft: { readonly revision: number; readonly document: FlowDocument; readonly savedBy: string };
  readonly environments: readonly { name: string; title: string }[];
  readonly findings: readonly Finding[];
  readonly address: string | undefined;
  /** Of the workspace. */
  readonly guards: readonly GuardDocument[];
  readonly editable: boolean;
}

const QUIET_MS = 400;
const nothing = () => undefined;

/** Shape: what callers see of an API. Every change is saved as a new draft a moment later. */
export function Shape({ slug, draft, environments, findings: first, address, guards, editable }: Props) {
  const d = useDraft(slug, draft, editable);
  const { document, state } = d;
  useShortcuts(d.undo, d.redo, () => void d.saveNow(), nothing);
  const [tab, setTab] = useState<'operations' | 'doors' | 'types' | 'topics' | 'query' | 'plans' | 'about'>(
    'operations',
  );
  const [open, setOpen] = useState<string>();
  const [text, setText] = useState(false);
  const findings = useFindings(slug, document, environments[0]?.name ?? '', first);
  const readOnly = !editable;
  const follow = useSavedLinks(slug, d);
  const hasGraph = document.doors.some((door) => door.answers === 'graphql');
  const saved = {
    saved: 'saved',
    unsaved: 'not saved yet',
    saving: 'saving …',
    failed: 'not saved',
    conflict: 'not saved',
  }[state.kind];
  return (
    <div style={{ display: 'contents' }} onClickCapture={follow}>
      <div className="title">
        <span className="soft">
          <Link href="/apis">APIs</Link> /
        </span>
        <h1>{document.api.name}</h1>
        <span className="soft" data-testid="draft-state" aria-live="polite">
          draft {d.revision}, {saved}
          {state.kind === 'saved' && d.revision === draft.revision ? ` by ${draft.savedBy}` : ''}
        </span>
        <span className="grow" />
        <Link href={`/apis/${slug}/versions`}>Versions</Link>
        <Button variant="outlined" aria-pressed={text} onClick={() => setText(!text)}>
          Text
        </Button>
        <ReleaseButton
          slug={slug}
          revision={d.revision}
          environments={environments}
          blocked={findings.filter((f) => f.severity === 'error').length}
          before={d.saveNow}
        />
      </div>
      {(state.kind === 'conflict' || state.kind === 'failed') && (
        <div className="told" role="alert">
          {state.message}{' '}
          {state.kind === 'conflict' ? (
            <>
              <button className="plain spruce" onClick={() => void d.takeTheirs()}>
                Take theirs
              </button>{' '}
              <button className="plain rust" onClick={d.keepMine}>
                Lay mine over it
              </button>
            </>
          ) : (
            <button className="plain spruce" onClick={() => void d.saveNow()}>
              Save again
            </button>
          )}
        </div>
      )}
      {document.api.description && <div className="soft">{document.api.description}</div>}
      <div className={text ? 'beside' : 'alone'}>
        <div>
          <Tabs value={tab} onChange={(_e, v: typeof tab) => setTab(v)} aria-label="What callers see">
            <Tab value="operations" label={`Operations ${Object.keys(document.operations).length}`} />
            <Tab value="doors" label={`Doors ${document.doors.length}`} />
            <Tab value="types" label={`Types ${Object.keys(document.types ?? {}).length}`} />
            <Tab value="topics" label={`Topics ${Object.keys(document.topics ?? {}).length}`} />
            {hasGraph && <Tab value="query" label="Query" />}
            <Tab value="about" label="About" />
            <Tab value="plans" label={`Plans ${Object.keys(document.plans ?? {}).length}`} />
          </Tabs>
          {tab === 'operations' && (
            <>
              <ApiOperations slug={slug} document={document} findings={findings} onShape={setOpen} />
              {editable && (
                <NewOperation
                  document={document}
                  onAdd={(id, operation) => {
                    d.change({
                      ...document,
                      operations: { ...document.operations, [id]: operation },
                      cases: [...(document.cases ?? []), firstCase(id, operation)],
                    });
                    setOpen(id);
                  }}
                />
              )}
            </>
          )}
          {tab === 'doors' && (
            <DoorsTab
              workspace={guards}
              document={document}
              address={address}
              readOnly={readOnly}
              onChange={d.change}
            />
          )}
          {tab === 'types' && <TypesTab document={document} readOnly={readOnly} onChange={d.change} />}
          {tab === 'topics' && (
            <TopicsTab
              slug={slug}
              document={document}
              environments={environments}
              address={address}
              readOnly={readOnly}
              onChange={d.change}
            />
          )}
          {tab === 'query' && hasGraph && (
            <QueryTab
              slug={slug}
              document={document}
              environments={environments}
              readOnly={readOnly}
              onChange={d.change}
            />
          )}
          {tab === 'about' && <AboutTab document={document} readOnly={readOnly} onChange={d.change} />}
          {tab === 'plans' && <PlansTab slug={slug} document={document} readOnly={readOnly} onChange={d.change} />}
        </div>
        {text && <TextPanel slug={slug} document={document} readOnly={readOnly} near={open} onChange={d.change} />}
      </div>
      <OperationDrawer
        slug={slug}
        beside={text}
        document={document}
        id={open}
        readOnly={readOnly}
        onClose={() => setOpen(undefined)}
        onChange={(o) => d.change({ ...document, operations: { ...document.operations, [open!]: o } })}
        onRename={(id) => {
          d.change(renameOperation(document, open!, id));
          setOpen(id);
        }}
        onRemove={() => {
          d.change(removeOperation(document, open!));
          setOpen(undefined);
        }}
      />
    </div>
  );
}

function useFindings(
  slug: string,
  document: FlowDocument,
  environment: string,
  first: readonly Finding[],
): readonly Finding[] {
  const [found, setFound] = useState<{ of: FlowDocument; findings: readonly Finding[] }>({
    of: document,
    findings: first,
  });
  useEffect(() => {
    if (found.of === document) return;
    const mine = new AbortController();
    const timer = setTimeout(() => {
      send<{ findings: Finding[] }>('POST', `/api/apis/${slug}/check`, { document, environment }, mine.signal)
        .then((a) => setFound({ of: document, findings: a.findings }))
        .catch(() => undefined);
    }, QUIET_MS);
    return () => {
      clearTimeout(timer);
      mine.abort();
    };
  }, [slug, document, environment, found.of]);
  return found.findings;
}
