/** Where callers send what nobody else may read: names of header fields (lower case) and of query parameters. */
export interface SecretPlaces {
  readonly headers: ReadonlySet<string>;
  readonly query: ReadonlySet<string>;
}

/** ASCII: a text with any other character is written twice as slowly. */
export const MASK = '***';

/** A path with its query, values of these parameters masked. The rest stays as it was written. */
export function maskQuery(path: string, names: ReadonlySet<string>): string {
  return eachParameter(path, names, (raw) => raw.slice(0, raw.indexOf('=') + 1) + MASK);
}

/** A path with its query, or a query alone with its "?", without these parameters. */
export function withoutQuery(path: string, names: ReadonlySet<string>): string {
  return eachParameter(path, names, () => undefined);
}

function eachParameter(path: string, names: ReadonlySet<string>, change: (raw: string) => string | undefined): string {
  const cut = path.indexOf('?');
  if (cut < 0 || !names.size) return path;
  const left = path
    .slice(cut + 1)
    .split('&')
    .flatMap((raw) => {
      const [name] = new URLSearchParams(raw).keys();
      return name !== undefined && names.has(name) ? (change(raw) ?? []) : [raw];
    });
  return left.length ? `${path.slice(0, cut)}?${left.join('&')}` : path.slice(0, cut);
}
