import { tick } from './values';

/** Merge sort; the comparator says whether the first must come after the second. */
export function mergeSort(list: readonly unknown[], after: (a: unknown, b: unknown) => boolean): unknown[] {
  if (list.length <= 1) return [...list];
  tick();
  const middle = list.length >> 1;
  const left = mergeSort(list.slice(0, middle), after);
  const right = mergeSort(list.slice(middle), after);
  const out: unknown[] = [];
  let l = 0;
  let r = 0;
  while (l < left.length && r < right.length) {
    tick();
    out.push(after(left[l], right[r]) ? right[r++] : left[l++]);
  }
  while (l < left.length) out.push(left[l++]);
  while (r < right.length) out.push(right[r++]);
  return out;
}
