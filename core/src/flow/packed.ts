import type { ShownMessage } from '../message/message';
import type { Rehearsal, ShownStep } from './rehearse';

/** A rehearsal on its way: every message once, steps say which by number. Most steps leave most messages as they were. */
export interface PackedRehearsal extends Omit<Rehearsal, 'steps'> {
  readonly messages: readonly ShownMessage[];
  readonly steps: readonly PackedStep[];
}

export interface PackedStep extends Omit<ShownStep, 'before' | 'after'> {
  readonly before: number;
  readonly after?: number;
}

/** Messages that are the same object stand once: showSteps gives one for one. */
export function packRehearsal(r: Rehearsal): PackedRehearsal {
  const messages: ShownMessage[] = [];
  const numbers = new Map<ShownMessage, number>();
  const numberOf = (m: ShownMessage): number => {
    let n = numbers.get(m);
    if (n === undefined) numbers.set(m, (n = messages.push(light(m)) - 1));
    return n;
  };
  const steps = r.steps.map(({ before, after, ...step }): PackedStep => ({
    ...step,
    before: numberOf(before),
    ...(after && { after: numberOf(after) }),
  }));
  return { ...r, request: light(r.request), reply: { ...light(r.reply), status: r.reply.status }, messages, steps };
}

/** A JSON body stands in the text already. */
function light(m: ShownMessage): ShownMessage {
  if (m.text === undefined || m.cut || typeof m.body === 'string') return m;
  const { body: _body, ...rest } = m;
  return rest;
}

export function unpackRehearsal({ messages, ...r }: PackedRehearsal): Rehearsal {
  const steps = r.steps.map(({ before, after, ...step }): ShownStep => ({
    ...step,
    before: messages[before]!,
    ...(after !== undefined && { after: messages[after]! }),
  }));
  return { ...r, steps };
}
