'use client';
import Popover from '@mui/material/Popover';
import { fixOf, type Finding, type FlowDocument } from '@hinge/core';
import { useState } from 'react';

interface Props {
  readonly findings: readonly Finding[];
  readonly document: FlowDocument;
  readonly onOpen: (f: Finding) => void;
  /** Takes the document that a fix made; absent where nothing may be changed. */
  readonly onFix?: (document: FlowDocument) => void;
}

/** Findings of this flow; each leads to its place, some are mended by one click. */
export function Findings({ findings, document, onOpen, onFix }: Props) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const first = findings[0];
  if (!first)
    return (
      <span className="spruce" data-testid="findings">
        no findings
      </span>
    );
  const bad = findings.some((f) => f.severity === 'error');
  const only = findings.length === 1 && !(onFix && fixOf(first, document));
  return (
    <>
      <button
        className={`plain cut ${bad ? 'rust' : 'brass'}`}
        style={{ maxWidth: 520 }}
        data-testid="findings"
        aria-haspopup="dialog"
        onClick={(e) => (only ? onOpen(first) : setAnchor(e.currentTarget))}
      >
        {findings.length === 1 ? '1 finding' : `${findings.length} findings`}: {first.message}
      </button>
      <Popover
        anchorEl={anchor}
        open={anchor !== null}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'top', horizontal: 'left' }}
        transformOrigin={{ vertical: 'bottom', horizontal: 'left' }}
        slotProps={{ paper: { variant: 'outlined', 'aria-label': 'Findings' } }}
      >
        <div className="findings">
          {findings.slice(0, 100).map((f, i) => {
            const fix = onFix && fixOf(f, document);
            return (
              <div key={i} className="row">
                <button
                  className="plain grow"
                  onClick={() => {
                    setAnchor(null);
                    onOpen(f);
                  }}
                >
                  <span className={f.severity === 'error' ? 'rust' : 'brass'}>{f.message}.</span>{' '}
                  <span className="soft">{f.remedy}</span> <code className="soft">{f.code}</code>
                </button>
                {fix && (
                  <button
                    className="plain spruce nowrap"
                    onClick={() => {
                      setAnchor(null);
                      onFix(fix.document);
                    }}
                  >
                    {fix.words}
                  </button>
                )}
              </div>
            );
          })}
        </div>
      </Popover>
    </>
  );
}
