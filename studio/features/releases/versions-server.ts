import { compareDocuments, type DocumentChanges, type FlowDocument } from '@hinge/core';
import { and, desc, eq } from 'drizzle-orm';
import { database, schema } from '../../db/client';

const { drafts, releases } = schema;

export interface Version {
  readonly revision: number;
  readonly by: string;
  readonly at: string;
  readonly note: string;
  /** Releases that were made of it. */
  readonly releases: readonly number[];
}

const SHOWN = 300;

/** Saved drafts of an API, the newest first, with the releases that were made of them. */
export async function listVersions(slug: string): Promise<Version[]> {
  const db = database();
  const made = await db
    .select({ number: releases.number, revision: releases.draftRevision })
    .from(releases)
    .where(eq(releases.api, slug));
  const rows = await db
    .select({ revision: drafts.revision, by: drafts.createdBy, at: drafts.createdAt, note: drafts.note })
    .from(drafts)
    .where(eq(drafts.api, slug))
    .orderBy(desc(drafts.revision))
    .limit(SHOWN);
  return rows.map((r) => ({
    ...r,
    at: r.at.toISOString(),
    releases: made.filter((m) => m.revision === r.revision).map((m) => m.number),
  }));
}

export async function draftAt(slug: string, revision: number): Promise<FlowDocument | undefined> {
  const [row] = await database()
    .select({ document: drafts.document })
    .from(drafts)
    .where(and(eq(drafts.api, slug), eq(drafts.revision, revision)));
  return row?.document;
}

export async function compareVersions(slug: string, from: number, to: number): Promise<DocumentChanges | undefined> {
  const [before, after] = await Promise.all([draftAt(slug, from), draftAt(slug, to)]);
  return before && after && compareDocuments(before, after);
}
