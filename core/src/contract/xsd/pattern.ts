/**
 * XSD patterns (Part 2 appendix F) to regular expressions: for schemas we publish in the plainest form, and `exact` for judging texts, with
 * digits of all scripts and the four blanks that XML knows. Only what cannot explode is carried; anything else returns undefined and the
 * backend stays the judge.
 */
export function patternToRegExp(pattern: string, exact = false): string | undefined {
  if (pattern.length > 500) return undefined;
  // No \i \c \I \C, no category blocks.
  if (/\\[icIC]|\\[pP]\{/.test(pattern)) return undefined;
  if (canExplode(pattern)) return undefined;
  // ^ and $ are plain characters in XSD patterns, \d and \w mean more than ASCII there.
  let out = '';
  let inClass = false;
  for (let i = 0; i < pattern.length; i++) {
    const c = pattern[i]!;
    if (c === '\\') {
      const next = pattern[++i];
      if (next === undefined) return undefined;
      if (next === 'w' || next === 'W') return undefined;
      const wide = exact ? EXACT[next] : undefined;
      if (wide) {
        if (inClass && wide.inClass === undefined) return undefined;
        out += inClass ? wide.inClass : wide.alone;
      } else if (next === 'd') out += inClass ? '0-9' : '[0-9]';
      else if (/[a-zA-Z]/.test(next) && !'nrtsSD'.includes(next)) return undefined;
      else out += next === '-' && !inClass ? '-' : `\\${next}`;
    } else if (c === '[') {
      // Class subtraction, [a-z-[aeiou]], has no counterpart.
      if (inClass) return undefined;
      inClass = true;
      out += c;
    } else if (c === ']') {
      inClass = false;
      out += c;
    } else if ((c === '^' && !(inClass && pattern[i - 1] === '[')) || c === '$') out += `\\${c}`;
    else if (c === '/' && !inClass) out += '\\/';
    else if (c === '.' && !inClass && exact) out += '[^\\n\\r]';
    else out += c;
  }
  const full = `^(?:${out})$`;
  try {
    new RegExp(full, 'u');
    return full;
  } catch {
    return undefined;
  }
}

const EXACT: Readonly<Record<string, { readonly alone: string; readonly inClass?: string } | undefined>> = {
  d: { alone: '\\p{Nd}', inClass: '\\p{Nd}' },
  D: { alone: '\\P{Nd}', inClass: '\\P{Nd}' },
  s: { alone: '[ \\t\\n\\r]', inClass: ' \\t\\n\\r' },
  S: { alone: '[^ \\t\\n\\r]' },
};

/** A repeated group that itself holds a repetition or alternatives may take exponential time in a backtracking engine. */
function canExplode(pattern: string): boolean {
  const bare = pattern.replace(/\\./g, 'x').replace(/\[[^\]]*\]/g, 'x');
  const stack: boolean[] = [];
  for (let i = 0; i < bare.length; i++) {
    const c = bare[i];
    if (c === '(') stack.push(false);
    else if (c === ')') {
      const risky = stack.pop() ?? false;
      const after = bare.slice(i + 1, i + 2);
      if (
        after === '*' ||
        after === '+' ||
        (after === '{' && /^\{\d*,?\d*\}/.test(bare.slice(i + 1)) && !/^\{[01]?,?1?\}/.test(bare.slice(i + 1)))
      ) {
        if (risky) return true;
        if (stack.length) stack[stack.length - 1] = true;
      } else if (risky && stack.length) stack[stack.length - 1] = true;
    } else if (
      (c === '*' || c === '+' || c === '|' || (c === '{' && /^\{\d*,\d*\}/.test(bare.slice(i)))) &&
      stack.length
    )
      stack[stack.length - 1] = true;
  }
  return false;
}
