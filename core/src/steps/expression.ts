import { compileExpression, ExpressionError, mistakesOf, type Expression } from '../expression';
import { expressionTree } from '../expression/expression';
import { finding, Refusal, type Finding } from '../problem';
import { escapePointer, schemaAt } from '../schema';
import type { Run } from '../flow/run';
import { NAMES } from '../flow/scope';
import { insteadOf, nearest } from '../nearest';
import type { MessageType, StepContext } from './kind';

/** An expression of a step, or the finding that says why there is none. */
export function checkExpression(
  source: string,
  context: StepContext,
  pointer: string,
  before: MessageType,
  report: (f: Finding) => void,
): Expression | undefined {
  const place = { ...context.place, pointer: `${context.place.pointer ?? ''}${pointer}` };
  let e: Expression;
  try {
    e = compileExpression(source);
  } catch (error) {
    const x = error as ExpressionError;
    report(finding('HNG-304', `"${brief(source)}": ${x.message}`, { ...place, position: x.position }));
    return undefined;
  }
  for (const m of mistakesOf(expressionTree(source)))
    report(finding('HNG-304', `"${brief(source)}": ${m.words}`, { ...place, position: m.position }, m.remedy));
  for (const path of e.reads) checkRead(path, context, place, before, report);
  return e;
}

function checkRead(
  path: readonly string[],
  context: StepContext,
  place: Finding['place'],
  before: MessageType,
  report: (f: Finding) => void,
): void {
  const [root, ...rest] = path;
  if (root === undefined) return;
  if (!NAMES.includes(root)) {
    report(
      finding(
        'HNG-304',
        `the name ${root} is not known; in reach are ${NAMES.join(', ')}`,
        place,
        nearest(root, NAMES) === undefined
          ? `Write body.${root} if you mean the body.`
          : `Write ${nearest(root, NAMES)}, or body.${root} if you mean the body.`,
      ),
    );
    return;
  }
  if ((root === 'vars' || root === 'steps') && rest[0] !== undefined)
    checkSetName(root, rest[0], context, place, report);
  if (root === 'body' && before.body && rest.length && !knows(before, rest)) {
    report(
      finding(
        'HNG-310',
        `${before.words} has no field ${rest.join('.')}`,
        place,
        'Choose a field that the message has.',
      ),
    );
  }
  const declared = root === 'path' || root === 'query' ? root : undefined;
  if (
    declared &&
    rest[0] !== undefined &&
    !context.operation.path.includes('*') &&
    !context.operation.parameters?.some((p) => p.in === declared && p.name === rest[0])
  ) {
    report(
      finding(
        'HNG-310',
        `the operation has no ${declared} parameter ${rest[0]}`,
        place,
        `Declare the parameter, or choose one of those that exist.`,
      ),
    );
  }
}

/** `vars.NAME` that no step sets, `steps.NAME` of a step that there is not, or not yet. */
function checkSetName(
  root: 'vars' | 'steps',
  name: string,
  context: StepContext,
  place: Finding['place'],
  report: (f: Finding) => void,
): void {
  const inReach = context.inReach();
  if (inReach[root].has(name)) return;
  const known = [...inReach[root]];
  const words =
    root === 'vars'
      ? `no step sets vars.${name}`
      : inReach.later.has(name)
        ? `the step ${name} has not ended when this is read`
        : `there is no step of the name ${name}`;
  report(finding('HNG-337', words, place, insteadOf(name, known, 'Set it in a step in front of this one.')));
}

function knows(before: MessageType, rest: readonly string[]): boolean {
  for (let n = 1; n <= rest.length; n++) {
    const s = schemaAt(before.body!, before.types, rest.slice(0, n));
    if (!s) {
      const parent = schemaAt(before.body!, before.types, rest.slice(0, n - 1));
      // A parent without declared properties is open: nothing can be said.
      return parent !== undefined && !closed(parent, before);
    }
  }
  return true;
}

function closed(parent: import('../schema').JsonSchema, before: MessageType): boolean {
  const s = schemaAt({ properties: { x: parent } }, before.types, ['x']);
  const name = s?.$ref?.slice('#/types/'.length);
  const target = name === undefined ? s : before.types[name];
  const item = target?.items;
  const object = item?.$ref ? before.types[item.$ref.slice('#/types/'.length)] : (item ?? target);
  if (!object) return false;
  const type = object.type;
  if (type !== undefined && type !== 'object' && type !== 'array') return true;
  if (object.additionalProperties !== undefined || object.patternProperties)
    return object.additionalProperties === false && !object.patternProperties;
  // A contract that names fields means these; that more may come is the rule of the language, and nothing to build on.
  return object.properties !== undefined && !object.anyOf && !object.oneOf && !object.allOf && !object.if;
}

/** Compiles for running; a mistake becomes a step failure that says so. */
export function runnable(source: string): Expression {
  try {
    return withinBudget(compileExpression(source));
  } catch (error) {
    const message = (error as ExpressionError).message;
    return {
      source,
      compiled: false,
      reads: [],
      evaluate() {
        throw new Refusal('HNG-420', {
          detail: 'A step of the flow failed. The trace says which.',
          inner: `the expression "${brief(source)}" has a mistake: ${message}`,
        });
      },
    };
  }
}

/** What takes more than a request may have ends the request with words of its own. */
function withinBudget(e: Expression): Expression {
  if (e.path) return e;
  const told = (error: unknown): never => {
    if (!(error instanceof ExpressionError) || !OVER.has(error.code)) throw error;
    throw new Refusal('HNG-429', {
      inner: `the expression "${brief(e.source)}": ${error.message}`,
      detail: 'An expression of the flow took more than a request may have. The trace says which.',
      cause: error,
    });
  };
  return {
    ...e,
    evaluate(input) {
      try {
        const v = e.evaluate(input);
        return v instanceof Promise ? v.catch(told) : v;
      } catch (error) {
        return told(error);
      }
    },
  };
}

/** Depth; steps, time and bytes; length of a list. */
const OVER: ReadonlySet<string> = new Set(['D1011', 'D1012', 'D2015']);

export function readsBody(e: Expression): boolean {
  return e.reads.some((p) => p[0] === 'body') || !e.compiled;
}

export async function loadForReading(run: Run, needed: boolean): Promise<void> {
  if (needed && run.message.body.pending) await run.message.body.load();
}

export const brief = (text: string): string => (text.length > 80 ? `${text.slice(0, 77)}…` : text);

export const fieldPointer = (index: number): string => `/fields/${index}/from`;

export function keyPointer(...parts: readonly string[]): string {
  return parts.map((p) => `/${escapePointer(p)}`).join('');
}
