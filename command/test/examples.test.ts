import { describe, expect, test } from '@jest/globals';
import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { checkDocument, type FlowDocument } from '@hinge/core';
import { demand } from '../src/documents';
import { hingeIn } from './hinge-in';

const FOLDER = join(dirname(fileURLToPath(import.meta.url)), '../../examples');
const files = readdirSync(FOLDER).filter((f) => f.endsWith('.hinge.yaml'));

/** Each job has one, which runs as it stands: without findings, and with every case passed. */
describe('examples/', () => {
  test('there are ten or more', () => expect(files.length).toBeGreaterThanOrEqual(10));

  test.each(files)('%s', async (file) => {
    const document: FlowDocument = await demand(join(FOLDER, file));
    expect(document.$schema).toBe('../docs/flow.schema.json');
    expect(readFileSync(join(FOLDER, file), 'utf8')).toMatch(/^# [A-Z]/);
    expect(checkDocument(document)).toEqual([]);
    expect(document.cases?.length).toBeGreaterThan(0);
    for (const id of Object.keys(document.operations)) expect(document.cases!.map((c) => c.operation)).toContain(id);
    const { code, out } = hingeIn(FOLDER)('rehearse', file, '--all');
    expect(out).toContain(`${document.cases!.length} passed, 0 failed`);
    expect(code).toBe(0);
  });
});
