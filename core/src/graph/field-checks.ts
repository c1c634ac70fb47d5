import {
  doTypesOverlap,
  GraphQLError,
  isCompositeType,
  isInterfaceType,
  isObjectType,
  separateOperations,
  TypeInfo,
  visit,
  visitWithTypeInfo,
  type FieldNode,
  type GraphQLSchema,
} from 'graphql';
import type { FlowDocument, OperationDocument } from '../flow/document';
import type { Run } from '../flow/run';
import { fieldGuards } from '../guards/compile';
import { finding, problemOf, Refusal, type Finding } from '../problem';
import { escapePointer } from '../schema';
import type { GraphResult, ReadQuery } from './execute';

/** The first field that a request may not ask for. */
export interface Denied {
  readonly name: string;
  readonly node: FieldNode;
  readonly refusal: Refusal;
}

/** Lets a request in, or says what refuses it. */
export type FieldChecks = (run: Run, read: ReadQuery) => Promise<Denied | undefined>;

/**
 * Guards of single fields of a graph, whoever resolves them. They act once for each request that names the field, before anything is called: also
 * where the field is named by an interface of its type, and whatever @skip and @include say. Undefined where no field has any.
 */
export function compileFieldChecks(
  document: FlowDocument,
  schema: GraphQLSchema,
  door: string,
): FieldChecks | undefined {
  const fields = Object.entries(document.graph?.fields ?? {});
  const guarded = Object.fromEntries(
    fields.map(([name, f]): [string, OperationDocument] => [
      name,
      { method: 'POST', path: '/', guards: f.guards, flow: [] },
    ]),
  );
  const guards = fieldGuards(document, door, guarded, 'field');
  if (!guards.size) return undefined;
  const known = new WeakMap<ReadQuery, ReadonlyMap<string, FieldNode>>();
  return async (run, read) => {
    let asked = known.get(read);
    if (!asked) known.set(read, (asked = fieldsAsked(schema, read, [...guards.keys()])));
    for (const [name, node] of asked) {
      // Guards see what the caller sent, keys included; a backend does not.
      const seen = run.fork(run.came.message);
      seen.request = run.came;
      try {
        await guards.get(name)!(seen);
      } catch (error) {
        if (!(error instanceof Refusal)) throw error;
        return { name, node, refusal: error };
      }
      // Who calls is known now, if it was not by the door; the guards of its plan have acted, and do not again for the next field.
      run.identity ??= seen.identity;
      run.planName ??= seen.planName;
    }
    return undefined;
  };
}

/** The result of a request that is refused: an error and no data. */
export function resultOf(run: Run, { name, node, refusal }: Denied): GraphResult {
  const problem = problemOf(refusal, '/', run.more.traceId ?? '');
  run.notes = { ...run.notes, refused: name, why: refusal.options.inner ?? refusal.message };
  // What a caller has to send, or how long to wait (RFC 9110 §10.2.3, §11.6.1).
  for (const [field, value] of Object.entries(refusal.options.headers ?? {})) run.replyHeaders[field] = value;
  const error = new GraphQLError(`${name} may not be asked for: ${problem.detail ?? problem.title}`, {
    nodes: [node],
    extensions: { status: refusal.status, problem },
  });
  return { errors: [error.toJSON()], status: refusal.status };
}

/** Of fields named as Type.field those that an operation asks for, each with the first place where it does. */
export function fieldsAsked(
  schema: GraphQLSchema,
  read: Pick<ReadQuery, 'document' | 'operation'>,
  names: readonly string[],
): ReadonlyMap<string, FieldNode> {
  const byField = new Map<string, string[]>();
  for (const name of names) {
    const field = name.slice(name.indexOf('.') + 1);
    byField.set(field, [...(byField.get(field) ?? []), name]);
  }
  const asked = new Map<string, FieldNode>();
  const types = new TypeInfo(schema);
  const own = separateOperations(read.document)[read.operation.name?.value ?? ''] ?? read.document;
  visit(
    own,
    visitWithTypeInfo(types, {
      Field(node) {
        const parent = types.getParentType();
        if (!parent) return;
        for (const name of byField.get(node.name.value) ?? []) {
          const type = schema.getType(name.slice(0, name.indexOf('.')));
          if (!asked.has(name) && isCompositeType(type) && doTypesOverlap(schema, parent, type)) asked.set(name, node);
        }
      },
    }),
  );
  return asked;
}

/** Guards that would guard nothing: of fields that the graph does not have, or of a kind that looks at operations alone. */
export function checkFields(document: FlowDocument, schema: GraphQLSchema, report: (f: Finding) => void): void {
  for (const [name, { guards }] of Object.entries(document.graph?.fields ?? {})) {
    const pointer = `/graph/fields/${escapePointer(name)}`;
    const idle = guards.findIndex((g) => g.kind === 'schema' && !g.off);
    if (idle >= 0)
      report(
        finding(
          'HNG-333',
          `the guard schema does nothing at the field ${name}`,
          { pointer: `${pointer}/guards/${idle}` },
          'Queries are held against the schema of the graph anyway. Choose another guard.',
        ),
      );
    const [typeName, field] = name.split('.') as [string, string];
    const type = schema.getType(typeName);
    const has = isObjectType(type) || isInterfaceType(type) ? type.getFields() : undefined;
    if (has?.[field]) continue;
    report(
      finding(
        'HNG-333',
        has ? `the type ${typeName} has no field ${field} to guard` : `the graph has no type ${typeName} with fields`,
        { pointer },
        has ? `Its fields are ${Object.keys(has).slice(0, 20).join(', ')}.` : 'Name it as Type.field.',
      ),
    );
  }
}
