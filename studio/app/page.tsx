import { checkDocument } from '@hinge/core';
import { LinkButton } from '../features/shell/link-button';
import Link from 'next/link';
import { assemble, getDraft, listApis } from '../features/apis/server';
import { ApiTable } from '../features/apis/api-table';
import { endedLately } from '../features/gateways/ended';
import { gatewayStates } from '../features/gateways/server';
import { listBackends } from '../features/backends/server';
import { waiting } from '../features/callers/server';
import { GatewayList } from '../features/gateways/gateway-list';
import { demandUser } from '../lib/session';
import { Moment } from '../features/shell/moment';
import { Shell } from '../features/shell/shell';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'Desk' };

/** What needs you now, then the APIs. */
export default async function Page() {
  await demandUser();
  const [apis, gateways, backends, asked, ended] = await Promise.all([
    listApis(),
    gatewayStates(),
    listBackends(),
    waiting(),
    endedLately(),
  ]);
  const needs: { text: string; href: string; code?: string }[] = [];
  for (const s of asked)
    needs.push({ text: `${s.appName} asks for ${s.wanted ?? s.planName} of ${s.apiName}`, href: '/callers' });
  for (const g of gateways) {
    if (!g.connected)
      needs.push({ text: `The gateway ${g.name} is not connected; it serves the revision it had`, href: '/releases' });
    else if (g.refusal)
      needs.push({ text: `The gateway ${g.name} refused its configuration: ${g.refusal}`, href: '/releases' });
    else if (g.wanted !== g.applied) needs.push({ text: `The gateway ${g.name} is out of date`, href: '/releases' });
  }
  for (const api of apis) {
    const draft = await getDraft(api.slug);
    if (!draft) continue;
    const errors = checkDocument(await assemble(draft.document), { environments: ['sandbox'] }).filter(
      (f) => f.severity === 'error',
    );
    for (const f of errors.slice(0, 3))
      needs.push({ text: `${api.name}: ${f.message}`, href: `/apis/${api.slug}`, code: f.code });
  }
  return (
    <Shell>
      <div className="sheet">
        <div className="title">
          <h1>What needs you now</h1>
        </div>
        <div className="frame">
          {needs.length === 0 && ended.length === 0 ? (
            <div style={{ padding: '10px 14px' }} className="soft">
              Nothing. No finding in any draft, every gateway runs what it should.
            </div>
          ) : (
            <table>
              <tbody>
                {ended.map((e) => (
                  <tr key={e.at}>
                    <td>{e.words}</td>
                    <td className="nowrap soft" style={{ textAlign: 'right' }}>
                      <Moment at={e.at} />
                    </td>
                  </tr>
                ))}
                {needs.map((n, i) => (
                  <tr key={i} className="link">
                    <td>
                      <Link href={n.href}>{n.text}</Link>
                    </td>
                    <td className="nowrap" style={{ textAlign: 'right' }}>
                      <code className="soft">{n.code}</code>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
        </div>
        <div className="title">
          <h2>APIs</h2>
          <span className="grow" />
          <LinkButton href="/backends/new">New backend</LinkButton>
        </div>
        <ApiTable rows={apis} backends={backends.length} />
        <div className="title">
          <h2>Gateways</h2>
        </div>
        <GatewayList initial={gateways} />
      </div>
    </Shell>
  );
}
