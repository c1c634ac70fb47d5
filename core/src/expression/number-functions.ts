import { asString } from './operators';
import { failed } from './text-functions';

/** Half to even, in decimal. */
export function round(value: number, precision?: number): number {
  const shift = (n: number, by: number) => {
    const [m, e] = n.toString().split('e');
    return Number(`${m}e${e ? Number(e) + by : by}`);
  };
  const x = precision ? shift(value, precision) : value;
  let result = Math.round(x);
  if (Math.abs(result - x) === 0.5 && Math.abs(result % 2) === 1) result -= 1;
  if (precision) result = shift(result, -precision);
  return Object.is(result, -0) ? 0 : result;
}

export function toNumber(v: unknown): unknown {
  if (typeof v === 'number') return v;
  if (typeof v === 'string' && /^-?[0-9]+(\.[0-9]+)?([Ee][-+]?[0-9]+)?$/.test(v) && Number.isFinite(Number(v)))
    return parseFloat(v);
  if (typeof v === 'string' && /^(0[xX][0-9A-Fa-f]+)|(0[oO][0-7]+)|(0[bB][0-1]+)$/.test(v)) return Number(v);
  if (v === true) return 1;
  if (v === false) return 0;
  return failed('D3030', `${asString(v)} cannot be made a number`);
}
