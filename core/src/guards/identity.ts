import type { FlowDocument } from '../flow/document';
import type { Run } from '../flow/run';

/** Who calls, once a guard has found out; the plan follows where the document knows the app. */
export function identify(
  run: Run,
  document: FlowDocument,
  app: { readonly id: string; readonly name: string; readonly plan?: string },
  claims?: Readonly<Record<string, unknown>>,
): void {
  const plan = app.plan === undefined ? undefined : document.plans?.[app.plan];
  run.identity = {
    app: { id: app.id, name: app.name },
    ...(app.plan !== undefined && { plan: { name: plan?.name ?? app.plan, values: plan?.values } }),
    ...(claims && { claims }),
  };
  run.planName = app.plan;
}

/** An app by its id in the document; one that is not listed there has no plan. */
export function appOf(document: FlowDocument, id: string): { id: string; name: string; plan?: string } {
  const app = Object.hasOwn(document.apps ?? {}, id) ? document.apps![id] : undefined;
  return { id, name: app?.name ?? id, ...(app?.plan !== undefined && { plan: app.plan }) };
}

/** The realm of a challenge: the name of the API, without what a quoted string may not hold (RFC 9110 §5.6.4). */
export const realmOf = (document: FlowDocument): string => document.api.name.replace(/["\\\r\n]/g, '');
