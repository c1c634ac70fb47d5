import { findingText, isHttpUrl, parseTree, type FlowDocument } from '@hinge/core';
import { Failure } from './fail';
import { readFlowFile, readText } from './files';

/** The document, or a failure that names every fault of its form on one line each. `onRead` is told of each file that it is made of. */
export async function demand(file: string, onRead?: (path: string) => void): Promise<FlowDocument> {
  const { document, findings } = await readFlowFile(file, onRead);
  if (!document) throw new Failure(findings.map(findingText).join('\nhinge: '));
  return document;
}

const short = (file: string): string => file.replace(/^.*\//, '').replace(/\.(hinge\.)?(ya?ml|json)$/, '');

/**
 * Names of APIs on a gateway of files: each file without folder and ending; where two would have one name, with the folders that tell them apart.
 * A file that is given twice is a failure.
 */
export function slugsOf(files: readonly string[]): string[] {
  const names = files.map(short);
  return files.map((file, i) => {
    const same = files.filter((_f, n) => names[n] === names[i]);
    if (same.length === 1) return names[i]!;
    if (same.filter((f) => f === file).length > 1) throw new Failure(`${file} is given twice`);
    const folders = file
      .replace(/^(?:\.?\.?\/)+/, '')
      .split('/')
      .slice(0, -1);
    for (let n = 1; n <= folders.length; n++) {
      const tail = `${folders.slice(-n).join('/')}/`;
      if (same.filter((f) => f.slice(0, f.lastIndexOf('/') + 1).endsWith(tail)).length === 1)
        return [...folders.slice(-n), names[i]].join('-');
    }
    return `${names[i]}-${i + 1}`;
  });
}

/** --set backend.NAME.address=URL */
export function applySetting(documents: readonly FlowDocument[], setting: string): void {
  const m = /^backend\.([^.=]+)\.address=(.*)$/.exec(setting);
  if (!m) throw new Failure(`--set ${setting}: write backend.NAME.address=URL`);
  if (!isHttpUrl(m[2]!)) throw new Failure(`--set ${setting}: ${m[2]} is no http or https address`);
  const having = documents.filter((d) => d.backends?.[m[1]!]);
  if (!having.length)
    throw new Failure(
      `--set ${setting}: there is no backend ${m[1]}; there are ${[...new Set(documents.flatMap((d) => Object.keys(d.backends ?? {})))].join(', ') || 'none'}`,
    );
  for (const d of having) d.backends![m[1]!] = { ...d.backends![m[1]!], address: m[2]!, addresses: undefined };
}

/** Names and texts, and nothing else: a number would have lost its zeros. What is wrong is told without any value. */
export async function readSecrets(file: string): Promise<Record<string, string>> {
  const text = await readText(file);
  let value: unknown;
  try {
    value = parseTree(text, file).value;
  } catch {
    // The text around a mistake may be a secret.
    throw new Failure(`--secrets ${file}: it cannot be read as YAML or JSON`);
  }
  if (value === null || typeof value !== 'object' || Array.isArray(value))
    throw new Failure(`--secrets ${file}: write one NAME: "value" a line`);
  for (const [name, v] of Object.entries(value))
    if (typeof v !== 'string') throw new Failure(`--secrets ${file}: ${name} is no text; put it in quotes`);
  return value as Record<string, string>;
}

/** Variables of an environment, read as env.NAME. */
export async function readValues(file: string): Promise<Record<string, unknown>> {
  const { value } = parseTree(await readText(file), file);
  if (value === null || typeof value !== 'object' || Array.isArray(value))
    throw new Failure(`--values ${file}: write one NAME: value a line`);
  return value as Record<string, unknown>;
}
