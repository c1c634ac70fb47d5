'use client';
import MenuItem from '@mui/material/MenuItem';
import Menu from '@mui/material/Menu';
import type { Finding } from '@hinge/core';
import { useState } from 'react';

/** Findings of this flow; each leads to its place. */
export function Findings({ findings, onOpen }: { findings: readonly Finding[]; onOpen: (f: Finding) => void }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const first = findings[0];
  if (!first)
    return (
      <span className="spruce" data-testid="findings">
        no findings
      </span>
    );
  const bad = findings.some((f) => f.severity === 'error');
  return (
    <>
      <button
        className={`plain cut ${bad ? 'rust' : 'brass'}`}
        style={{ maxWidth: 620 }}
        data-testid="findings"
        aria-haspopup="menu"
        onClick={(e) => (findings.length === 1 ? onOpen(first) : setAnchor(e.currentTarget))}
      >
        {findings.length === 1 ? '1 finding' : `${findings.length} findings`}: {first.message}
      </button>
      <Menu
        anchorEl={anchor}
        open={anchor !== null}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'top', horizontal: 'left' }}
        transformOrigin={{ vertical: 'bottom', horizontal: 'left' }}
      >
        {findings.slice(0, 50).map((f, i) => (
          <MenuItem
            key={i}
            onClick={() => {
              setAnchor(null);
              onOpen(f);
            }}
            sx={{ whiteSpace: 'normal', maxWidth: 560, display: 'block' }}
          >
            <span className={f.severity === 'error' ? 'rust' : 'brass'}>{f.message}.</span>{' '}
            <span className="soft">{f.remedy}</span> <code className="soft">{f.code}</code>
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}
