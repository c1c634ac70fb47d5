import { compileExpression, jsonataName } from '../expression';
import { pointerParts } from '../schema';
import { constructedFields, constructorOf, splitTop } from './constructor';

/**
 * A list made of a list: which items, in which order, grouped or not, and what each becomes. One form of a JSONata text: whoever writes the text by hand in this
 * form gets the rows, whoever fills in the rows gets the text.
 */
export interface ItemMap {
  /** The list, e.g. body.berths. */
  readonly of: string;
  /** Only items for which this holds; names are those of an item. */
  readonly where?: string;
  readonly sort?: { readonly by: string; readonly descending?: boolean };
  /** One item for each value of this; fields then read `$key` and `$items`. */
  readonly group?: string;
  /** Fields of a made item by pointer from the item, e.g. /stay/from. */
  readonly fields: readonly { readonly to: string; readonly from: string }[];
}

const GROUPED = 'function($items, $key)';

/** The text of an item map. The same map always gives the same text. */
export function writeItems(map: ItemMap): string {
  const list = `${map.of}${map.where ? `[${map.where}]` : ''}${map.sort ? `^(${map.sort.descending ? '>' : ''}${map.sort.by})` : ''}`;
  const object = constructorOf(map.fields, false);
  return map.group ? `[$each(${list}{ $string(${map.group}): $ }, ${GROUPED} { ${object} })]` : `[${list}.${object}]`;
}

/** A text in the form that writeItems gives, white space aside; undefined for any other. */
export function readItems(text: string): ItemMap | undefined {
  const source = text.trim();
  if (!source.startsWith('[') || !source.endsWith(']')) return undefined;
  const found = readGrouped(source.slice(1, -1).trim()) ?? readPlain(source.slice(1, -1).trim());
  if (!found) return undefined;
  try {
    compileExpression(source);
    // What was read must be the whole text: anything left out would be lost at the next change.
    return squeezed(writeItems(found)) === squeezed(source) ? found : undefined;
  } catch {
    return undefined;
  }
}

const squeezed = (t: string): string => t.replace(/\s+/g, '');

function readPlain(text: string): ItemMap | undefined {
  const at = lastTop(text, '.{') ?? lastTop(text, '. {');
  if (at === undefined) return undefined;
  const list = readList(text.slice(0, at));
  const fields = constructedFields(text.slice(text.indexOf('{', at)));
  return list && fields && { ...list, fields };
}

function readGrouped(text: string): ItemMap | undefined {
  if (!text.startsWith('$each(') || !text.endsWith(')')) return undefined;
  const [over, body, more] = splitTop(text.slice('$each('.length, -1), ',');
  if (!over || !body || more !== undefined) return undefined;
  const start = lastTop(over.trim(), '{');
  const head = /^\s*function\s*\(\s*\$items\s*,\s*\$key\s*\)\s*\{/.exec(body);
  if (start === undefined || !head) return undefined;
  const key = /^\{\s*\$string\(([\s\S]*)\)\s*:\s*\$\s*\}$/.exec(over.trim().slice(start))?.[1];
  const list = readList(over.trim().slice(0, start));
  const fields = constructedFields(body.slice(head[0].length, body.lastIndexOf('}')).trim());
  return list && fields && key !== undefined ? { ...list, group: key.trim(), fields } : undefined;
}

/** LIST[WHERE]^(SORT), the last two where they are. */
function readList(text: string): Pick<ItemMap, 'of' | 'where' | 'sort'> | undefined {
  let of = text.trim();
  let sort: ItemMap['sort'];
  let where: string | undefined;
  if (of.endsWith(')')) {
    const at = lastTop(of, '^(');
    if (at === undefined) return undefined;
    const by = of.slice(at + 2, -1).trim();
    if (splitTop(by, ',').length > 1) return undefined;
    sort = by.startsWith('>') ? { by: by.slice(1).trim(), descending: true } : { by: by.replace(/^</, '').trim() };
    of = of.slice(0, at).trim();
  }
  if (of.endsWith(']')) {
    const at = lastTop(of, '[');
    if (at === undefined) return undefined;
    where = of.slice(at + 1, -1).trim();
    of = of.slice(0, at).trim();
  }
  if (!/^(\$\$\.|\$\.)?[^\s[\](){}^]+$/.test(of.replace(/`[^`]*`/g, 'x'))) return undefined;
  return { of, ...(where && { where }), ...(sort && { sort }) };
}

/** Where a mark stands last outside of brackets and strings. */
function lastTop(text: string, mark: string): number | undefined {
  let depth = 0;
  let quote = '';
  let found: number | undefined;
  for (let i = 0; i < text.length; i++) {
    const c = text[i]!;
    if (quote) {
      if (c === '\\' && quote !== '`') i++;
      else if (c === quote) quote = '';
      continue;
    }
    if (depth === 0 && text.startsWith(mark, i)) found = i;
    if (c === '"' || c === "'" || c === '`') quote = c;
    else if ('([{'.includes(c)) depth++;
    else if (')]}'.includes(c)) depth--;
  }
  return found;
}

/** Ways to make one value of many, or to look one up, with the words that an editor shows. */
export const BUILDS = {
  value: 'the value of',
  sum: 'the sum of',
  average: 'the average of',
  least: 'the smallest of',
  most: 'the largest of',
  count: 'how many there are of',
  first: 'the first of',
  last: 'the last of',
  distinct: 'the different ones of',
  joined: 'the texts, joined, of',
  lookup: 'looked up in',
} as const;
export type Build = keyof typeof BUILDS;

export interface BuildParts {
  /** Path of the value, or of the list to look in. */
  readonly of: string;
  /** Between joined texts. */
  readonly between?: string;
  /** Look-up: field of an item that must equal … */
  readonly key?: string;
  /** … this value, an expression in reach of the field. */
  readonly equals?: string;
  /** Look-up: field of the item that was found; the item itself when absent. */
  readonly take?: string;
}

/** The expression of a build. A value that is looked up is read before the list is entered, where its name means something else. */
export function buildExpression(build: Build, parts: BuildParts): string {
  const { of } = parts;
  switch (build) {
    case 'value':
      return of;
    case 'sum':
      return `$sum(${of})`;
    case 'average':
      return `$average(${of})`;
    case 'least':
      return `$min(${of})`;
    case 'most':
      return `$max(${of})`;
    case 'count':
      return `$count(${of})`;
    case 'first':
      return `(${of})[0]`;
    case 'last':
      return `(${of})[-1]`;
    case 'distinct':
      return `$distinct(${of})`;
    case 'joined':
      return `$join(${of}.$string($), ${JSON.stringify(parts.between ?? ', ')})`;
    case 'lookup':
      return `($wanted := ${parts.equals ?? 'null'}; ${of}[${parts.key ?? 'id'} = $wanted]${parts.take ? `.${parts.take}` : ''})`;
  }
}

/** A field of the root as an expression inside of items: there plain names are those of the item. */
export const fromRoot = (pointer: string): string =>
  `$$.${pointerParts(pointer)
    .filter((p) => p !== '*')
    .map(jsonataName)
    .join('.')}`;

const FIRST = '$items[0].';

/** The map grouped by an expression, or no more: fields that were plain fields of an item are then those of the group's first. */
export function groupItems(map: ItemMap, group: string | undefined): ItemMap {
  const plain = (from: string): boolean => {
    try {
      return compileExpression(from).path !== undefined;
    } catch {
      return false;
    }
  };
  const fields = map.fields.map((f) => {
    const back = f.from.startsWith(FIRST) && plain(f.from.slice(FIRST.length)) ? f.from.slice(FIRST.length) : f.from;
    if (group === undefined) return { ...f, from: back === '$key' ? (map.group ?? back) : back };
    if (back === group) return { ...f, from: '$key' };
    return { ...f, from: plain(back) && !back.startsWith('$') ? `${FIRST}${back}` : f.from };
  });
  return { ...map, group, fields };
}
