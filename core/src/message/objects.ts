import { Digits } from './digits';

/** Sets a member, whatever its name: one called __proto__ must not become the prototype. */
export function setMember(object: Record<string, unknown>, name: string, value: unknown): void {
  if (name === '__proto__')
    Object.defineProperty(object, name, { value, enumerable: true, configurable: true, writable: true });
  else object[name] = value;
}

/**
 * Makes plain objects, all of one type: engines learn from the first ones how many members the others will have, and give
 * them room for these at once.
 */
export function plainObjects(): new () => Record<string, unknown> {
  const Plain = function () {} as unknown as new () => Record<string, unknown>;
  Plain.prototype = Object.prototype;
  return Plain;
}

/** An object of JSON: neither a list nor digits, which are a number. */
export const isObject = (v: unknown): v is Record<string, unknown> =>
  v !== null && typeof v === 'object' && !Array.isArray(v) && !(v instanceof Digits);
