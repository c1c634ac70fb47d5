import { finding, HingeError, type Finding } from '../problem';
import { escapePointer, type JsonSchema } from '../schema';
import { refName } from '../schema/types';
import { eachGuards } from '../guards/check';
import { planNamed } from '../guards/compile';
import { insteadOf } from '../nearest';
import type { FlowDocument, StepDocument } from './document';
import { comesBefore, namesGivenTwice } from './set-names';
import { eachFlow, partsOf, walkFlow } from './walk';

type Report = (f: Finding) => void;

/** Two steps of one name, where both can run: the second takes the place of the first without a word. */
export function checkNames(document: FlowDocument, report: Report): void {
  eachFlow(document, (flow, root) => {
    for (const { name, at, first } of namesGivenTwice(flow))
      report(
        finding(
          'HNG-326',
          `two steps are named ${name}; steps.${name} is the last that ran`,
          {
            pointer: `${root}${at}/name`,
          },
          `Give one of them another name; the first stands at ${root}${first}.`,
        ),
      );
  });
}

/** A map that writes the request behind the last call: nothing sends it. */
export function checkOrder(document: FlowDocument, report: Report): void {
  eachFlow(document, (flow, root) => {
    const isAfter = root.endsWith('/after');
    const sent: string[] = [];
    walkFlow(flow, (step, at, off) => {
      if (!off && (step.kind === 'call' || step.kind === 'publish')) sent.push(at);
    });
    walkFlow(flow, (step, at, off) => {
      if (off || step.kind !== 'map' || step.to === 'reply') return;
      if (sent.some((s) => comesBefore(at, s))) return;
      if (!isAfter && !sent.some((s) => comesBefore(s, at))) return;
      report(
        finding('HNG-340', 'the map writes a request, and no call comes behind it', { pointer: `${root}${at}/to` }),
      );
    });
  });
}

/** Plans that apps and cases name. */
export function checkPlans(document: FlowDocument, report: Report): void {
  const plans = Object.keys(document.plans ?? {});
  const look = (plan: string | undefined, pointer: string) => {
    if (plan === undefined || planNamed(document, plan) !== undefined) return;
    report(
      finding(
        'HNG-338',
        `there is no plan ${plan}`,
        { pointer },
        insteadOf(plan, plans, 'This document has no plans.'),
      ),
    );
  };
  for (const [id, app] of Object.entries(document.apps ?? {})) look(app.plan, `/apps/${escapePointer(id)}/plan`);
  document.cases?.forEach((c, i) => look(c.app?.plan, `/cases/${i}/app/plan`));
}

/** Members of a step that are templates; everything else in it that is text is an expression or plain. */
const TEMPLATES: readonly RegExp[] = [
  /^\/path$/,
  /^\/routes\/\d+\/address$/,
  /^\/routes\/\d+\/shares\/\d+\/address$/,
  /^\/template$/,
  /^\/headers\/[^/]*$/,
];
/** What people read, and what is sent as it stands. */
const PROSE = new Set(['note', 'name', 'description', 'summary', 'schema', 'default', 'against']);

/** `{{ }}` where no template is read. */
export function checkBraces(document: FlowDocument, report: Report): void {
  const tell = (text: string, pointer: string) => {
    if (/\{\{[^]*?\}\}/.test(text))
      report(finding('HNG-339', `"${text.slice(0, 60)}" has {{ }}, and no template is read here`, { pointer }));
  };
  for (const [name, b] of Object.entries(document.backends ?? {})) {
    const at = `/backends/${escapePointer(name)}`;
    if (b.address !== undefined) tell(b.address, `${at}/address`);
    for (const [e, a] of Object.entries(b.addresses ?? {})) tell(a, `${at}/addresses/${escapePointer(e)}`);
  }
  eachGuards(document, (guards, at) => texts(guards, at, tell));
  eachFlow(document, (flow, root) =>
    walkFlow(flow, (step, at, off) => {
      if (off) return;
      const inner = partsOf(step).map((p) => p.pointer);
      texts(step, '', (text, pointer) => {
        if (inner.some((p) => pointer.startsWith(`${p}/`)) || TEMPLATES.some((t) => t.test(pointer))) return;
        if (isExpression(step, pointer)) {
          // In JSONata {{x}} is an object in an object and never what is meant.
          if (/^\s*\{\{[^]*\}\}\s*$/.test(text))
            report(
              finding(
                'HNG-339',
                `"${text.slice(0, 60)}" is an expression already`,
                { pointer: `${root}${at}${pointer}` },
                'Leave the braces out.',
              ),
            );
          return;
        }
        tell(text, `${root}${at}${pointer}`);
      });
    }),
  );
}

/** Where a step has JSONata. */
function isExpression(step: StepDocument, pointer: string): boolean {
  const [, first, , third] = pointer.split('/');
  switch (step.kind) {
    case 'map':
      return first === 'whole' || (first === 'fields' && third === 'from');
    case 'set':
      return first === 'values';
    case 'reply':
      return first === 'from';
    case 'each':
      return first === 'items';
    case 'publish':
      return first !== 'topic';
    case 'remember':
      return first === 'seconds' || first === 'key' || first === 'tags' || first === 'notIf';
    case 'choose':
    case 'attempt':
    case 'call':
      return pointer.includes('/when');
    default:
      return false;
  }
}

function texts(value: unknown, pointer: string, visit: (text: string, pointer: string) => void): void {
  if (typeof value === 'string') visit(value, pointer);
  else if (Array.isArray(value)) value.forEach((v, i) => texts(v, `${pointer}/${i}`, visit));
  else if (value !== null && typeof value === 'object')
    for (const [k, v] of Object.entries(value)) if (!PROSE.has(k)) texts(v, `${pointer}/${escapePointer(k)}`, visit);
}

/** Members of a schema whose values are no schemas, though they may look like one. */
const VALUES = new Set(['enum', 'const', 'default', 'examples', 'example', 'xml']);

/** Every `$ref` of the document's own schemas that is no type of it: what it should have held would be let in unseen. */
export function lostReferences(document: FlowDocument): Finding[] {
  const out: Finding[] = [];
  const known = Object.keys(document.types ?? {});
  const refer = (ref: string, pointer: string): void => {
    const name = refName({ $ref: ref });
    if (name !== undefined && Object.hasOwn(document.types ?? {}, name)) return;
    out.push(
      finding(
        'HNG-341',
        name === undefined ? `"${ref}" is no reference to a type of this document` : `there is no type ${name}`,
        { pointer },
        name === undefined ? undefined : insteadOf(name, known, 'This document has no types.'),
      ),
    );
  };
  const look = (schema: unknown, pointer: string): void => {
    if (schema === null || typeof schema !== 'object') return;
    if (Array.isArray(schema)) {
      schema.forEach((s, i) => look(s, `${pointer}/${i}`));
      return;
    }
    for (const [key, value] of Object.entries(schema)) {
      const at = `${pointer}/${escapePointer(key)}`;
      if (key === '$ref' && typeof value === 'string') refer(value, at);
      else if (key === 'discriminator' && value !== null && typeof value === 'object') {
        const { mapping = {} } = value as NonNullable<JsonSchema['discriminator']>;
        for (const [label, ref] of Object.entries(mapping)) refer(ref, `${at}/mapping/${escapePointer(label)}`);
      } else if (key === 'properties' || key === 'patternProperties' || key === '$defs' || key === 'dependentSchemas') {
        // Names of members are no words of the language.
        for (const [name, s] of Object.entries((value ?? {}) as object)) look(s, `${at}/${escapePointer(name)}`);
      } else if (!VALUES.has(key)) look(value, at);
    }
  };
  for (const [name, t] of Object.entries(document.types ?? {})) look(t, `/types/${escapePointer(name)}`);
  for (const [id, o] of Object.entries(document.operations)) {
    const at = `/operations/${escapePointer(id)}`;
    o.parameters?.forEach((p, i) => look(p.schema, `${at}/parameters/${i}/schema`));
    look(o.request?.schema, `${at}/request/schema`);
    o.request?.others?.forEach((b, i) => look(b.schema, `${at}/request/others/${i}/schema`));
    const reply = (r: OperationReply, p: string) => {
      look(r?.schema, `${p}/schema`);
      for (const [n, h] of Object.entries(r?.headers ?? {})) look(h.schema, `${p}/headers/${escapePointer(n)}/schema`);
    };
    reply(o.reply, `${at}/reply`);
    for (const [s, r] of Object.entries(o.otherReplies ?? {})) reply(r, `${at}/otherReplies/${s}`);
  }
  for (const [name, t] of Object.entries(document.topics ?? {}))
    look(t.schema, `/topics/${escapePointer(name)}/schema`);
  eachFlow(document, (flow, root) =>
    walkFlow(flow, (step, at) => {
      if (step.kind !== 'check' || typeof step.against === 'string') return;
      if ('schema' in step.against) look(step.against.schema, `${root}${at}/against/schema`);
    }),
  );
  return out;
}

type OperationReply = Pick<NonNullable<FlowDocument['operations'][string]['reply']>, 'schema' | 'headers'> | undefined;

/** @throws HingeError HNG-341: what a reference should have held would be let in unseen. */
export function demandReferences(document: FlowDocument): void {
  const [first] = lostReferences(document);
  if (first) throw new HingeError('HNG-341', first.message, first.place, { remedy: first.remedy });
}
