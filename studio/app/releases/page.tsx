import Link from 'next/link';
import { listReleases } from '../../features/apis/server';
import { Forget } from '../../features/gateways/forget';
import { GatewayList } from '../../features/gateways/gateway-list';
import { gatewayStates } from '../../features/gateways/server';
import { Shell } from '../../features/shell/shell';
import { Moment } from '../../features/shell/moment';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'Releases' };

export default async function Page() {
  const [rows, gateways] = await Promise.all([listReleases(), gatewayStates()]);
  return (
    <Shell>
      <div className="sheet">
        <div className="title">
          <h1>Releases</h1>
          <span className="soft">numbered, hashed, never changed</span>
        </div>
        {rows.length === 0 ? (
          <div className="frame empty">
            <strong>Nothing released yet</strong>
            Open an <Link href="/apis">API</Link> and press Release.
          </div>
        ) : (
          <div className="frame">
            <table>
              <thead>
                <tr>
                  <th>API</th>
                  <th>Release</th>
                  <th>Runs in</th>
                  <th>Notes</th>
                  <th>By</th>
                  <th>When</th>
                  <th>Hash</th>
                </tr>
              </thead>
              <tbody>
                {rows.map((r) => (
                  <tr key={`${r.api} ${r.number}`}>
                    <td>
                      <Link href={`/apis/${r.api}`}>{r.api}</Link>
                    </td>
                    <td>
                      <strong>{r.number}</strong> <span className="soft">from draft {r.draft}</span>
                    </td>
                    <td className="spruce">{r.environments.join(', ')}</td>
                    <td>{r.notes}</td>
                    <td className="soft">{r.by}</td>
                    <td className="soft nowrap">
                      <Moment at={r.at} />
                    </td>
                    <td className="mono soft">{r.hash}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
        <div className="title">
          <h2>Gateways</h2>
        </div>
        <GatewayList initial={gateways} />
        {gateways.length > 0 && <Forget environments={[...new Set(gateways.map((g) => g.environment))]} />}
      </div>
    </Shell>
  );
}
