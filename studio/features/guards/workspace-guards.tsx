'use client';
import Button from '@mui/material/Button';
import type { GuardDocument } from '@hinge/core';
import Link from 'next/link';
import { useState } from 'react';
import { useAct } from '../callers/use-act';
import { GuardsEditor } from '../shape/guards-editor';

/** Guards of all APIs together. They are no part of a release: saved, they act at once. */
export function WorkspaceGuards({
  guards: saved,
  apis,
  readOnly,
}: {
  guards: readonly GuardDocument[];
  apis: number;
  readOnly: boolean;
}) {
  const { act, busy, told } = useAct();
  const [guards, setGuards] = useState<readonly GuardDocument[]>(saved);
  const [kept, setKept] = useState(saved);
  const changed = JSON.stringify(guards) !== JSON.stringify(kept);
  return (
    <>
      <div className="title">
        <span className="soft">
          <Link href="/apis">APIs</Link> /
        </span>
        <h1>Guards of the workspace</h1>
        <span className="soft" role="status" data-testid="guards-state">
          {changed ? 'not saved yet' : 'saved'}
        </span>
        <span className="grow" />
        {!readOnly && (
          <Button
            variant="contained"
            disabled={!changed || busy}
            onClick={() => void act('PUT', '/api/guards', guards).then((done) => done !== undefined && setKept(guards))}
          >
            {busy ? 'Saving …' : `Save for ${apis === 1 ? 'the one API' : `all ${apis} APIs`}`}
          </Button>
        )}
      </div>
      <div className="soft">
        They act at every API that has none of the same kind, and count for all of them together. Saved, they reach
        every gateway at once, without a release. Scopes, from far to near: workspace, API, door, operation; of one kind
        the nearest counts, those of a plan act besides.
      </div>
      {told && (
        <div className="told" role="alert">
          {told}
        </div>
      )}
      <GuardsEditor
        label="of the workspace"
        guards={guards}
        readOnly={readOnly}
        onChange={(next) => setGuards(next ?? [])}
      />
    </>
  );
}
