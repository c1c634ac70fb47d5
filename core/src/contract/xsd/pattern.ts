/**
 * XSD patterns (Part 2 appendix F) to regular expressions, for schemas we publish. Only what means the same in both
 * and cannot explode is carried; anything else returns undefined and the backend stays the judge.
 */
export function patternToRegExp(pattern: string): string | undefined {
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
      if (next === 'd') out += inClass ? '0-9' : '[0-9]';
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
