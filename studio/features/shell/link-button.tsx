'use client';
import Button from '@mui/material/Button';
import Link from 'next/link';
import type { ReactNode } from 'react';

/** The filled button of a page where it leads to another page. */
export function LinkButton({ href, children }: { href: string; children: ReactNode }) {
  return (
    <Button component={Link} href={href} variant="contained">
      {children}
    </Button>
  );
}
