import { Refusal, type InputFault } from '../../problem';
import type { GuardKind } from '../kind';
import type { HeadersGuardDocument } from './schema';

/** All that is wrong is told at once. */
export const headersGuard: GuardKind<HeadersGuardDocument> = {
  kind: 'headers',
  words: 'has rules for request headers',
  compile(guard) {
    const need = Object.entries(guard.need ?? {}).map(([name, values]) => [name, name.toLowerCase(), values] as const);
    const refused = (guard.refuse ?? []).map((name) => [name, name.toLowerCase()] as const);
    return ({ run }) => {
      const { headers } = run.message;
      const errors: InputFault[] = [];
      const fault = (parameter: string, code: string, detail: string) =>
        errors.push({ pointer: '', parameter, code, detail });
      for (const [name, lower, values] of need) {
        const value = headers[lower];
        if (value === undefined) fault(name, 'required', 'this header is missing');
        else if (values.length && !values.includes(value)) fault(name, 'enum', `must be ${values.join(' or ')}`);
      }
      for (const [name, lower] of refused)
        if (headers[lower] !== undefined) fault(name, 'refused', 'this header is not taken here');
      if (errors.length) throw new Refusal('HNG-404', { errors });
    };
  },
};
