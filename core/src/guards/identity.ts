import type { KnownCaller, ClosedState } from '../callers/ports';
import type { FlowDocument } from '../flow/document';
import type { Run } from '../flow/run';
import { Refusal } from '../problem';

const CLOSED: { readonly [K in ClosedState]: string } = {
  none: 'has no subscription to this API',
  asked: 'waits for the approval of its subscription to this API',
  refused: 'was refused a subscription to this API',
  paused: 'has a subscription to this API that is paused',
  ended: 'had a subscription to this API that has ended',
};

/** Who calls, once a guard has found out; the plan follows where the document knows it. Refuses an app without an open subscription. */
export function admit(
  run: Run,
  document: FlowDocument,
  app: KnownCaller,
  claims?: Readonly<Record<string, unknown>>,
): void {
  const plan = app.plan === undefined ? undefined : document.plans?.[app.plan];
  run.identity = {
    app: { id: app.id, name: app.name },
    plan: app.plan === undefined ? undefined : { name: plan?.name ?? app.plan, values: plan?.values },
    claims,
  };
  run.planName = app.plan;
  if (app.closed !== undefined)
    throw new Refusal('HNG-418', {
      detail: `The app ${app.name} ${CLOSED[app.closed]}.`,
      inner: `the subscription of ${app.id} is: ${app.closed}`,
    });
}

/** An app by its id: of the document, or of the gateway; one that neither lists has no plan. */
export function appOf(run: Run, document: FlowDocument, id: string): KnownCaller {
  const app = Object.hasOwn(document.apps ?? {}, id) ? document.apps![id] : undefined;
  if (app) return { id, name: app.name ?? id, ...(app.plan !== undefined && { plan: app.plan }) };
  const known = run.ports.callers?.byId(id, run.more.api);
  // A token of an outside issuer needs no subscription; one that there is counts.
  return known && known.closed !== 'none' ? known : { id, name: known?.name ?? id };
}

/** The realm of a challenge: the name of the API, without what a quoted string may not hold (RFC 9110 §5.6.4). */
export const realmOf = (document: FlowDocument): string => document.api.name.replace(/["\\\r\n]/g, '');
