import type { ContractFiles } from './model';

/** Resolves `location` against the path of the document that names it; URLs and relative paths alike. */
export function resolveLocation(base: string, location: string): string {
  if (/^[a-z][a-z0-9+.-]*:/i.test(location)) return location;
  if (/^[a-z][a-z0-9+.-]*:/i.test(base)) return new URL(location, base).href;
  const parts = base.split('/').slice(0, -1);
  if (location.startsWith('/')) return location;
  for (const part of location.split('/')) {
    if (part === '..' && parts.length && parts[parts.length - 1] !== '..') parts.pop();
    else if (part !== '.' && part !== '') parts.push(part);
  }
  return parts.join('/');
}

/** Finds a named document among the files: by its resolved path, else by its last name alone when that is unique. */
export function fileFor(source: ContractFiles, base: string, location: string): string | undefined {
  const path = resolveLocation(base, location);
  if (source.files[path] !== undefined) return path;
  const last = path.split(/[/?#]/).pop();
  const same = Object.keys(source.files).filter((f) => f.split('/').pop() === last);
  return same.length === 1 ? same[0] : undefined;
}
