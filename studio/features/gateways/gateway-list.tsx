'use client';
import { useQuery } from '@tanstack/react-query';
import { send } from '../../lib/client';
import type { GatewayState } from './server';

export function useGateways(initial: GatewayState[] | undefined, everyMs: number) {
  return useQuery({
    queryKey: ['gateways'],
    queryFn: () => send<{ gateways: GatewayState[] }>('GET', '/api/gateways').then((r) => r.gateways),
    initialData: initial,
    refetchInterval: everyMs,
  });
}

export function stateOf(g: GatewayState): { words: string; tone: string } {
  if (!g.connected) return { words: 'not connected; serves what it had', tone: 'rust' };
  if (g.refusal) return { words: `refused: ${g.refusal}`, tone: 'rust' };
  if (g.applied === g.wanted) return { words: 'runs what it should', tone: 'spruce' };
  return { words: 'is being told', tone: 'brass' };
}

/** Where a gateway counts calls and remembers replies. */
function storeOf({ store }: GatewayState): { words: string; tone: string } {
  if (!store) return { words: 'not known', tone: 'soft' };
  if (store.state === 'process') return { words: 'by itself', tone: 'soft' };
  if (store.state === 'connected') return { words: 'on the shared store', tone: 'spruce' };
  const then = store.whenAway === 'refuse' ? 'calls that are counted are refused' : 'counts by itself';
  return { words: `the shared store is away: ${then}`, tone: 'rust' };
}

export function GatewayList({ initial }: { initial: GatewayState[] }) {
  const { data } = useGateways(initial, 2000);
  if (!data?.length)
    return (
      <div className="frame empty">
        No gateway is known. <code>./hinge up</code> starts one.
      </div>
    );
  return (
    <div className="frame">
      <table>
        <thead>
          <tr>
            <th>Gateway</th>
            <th>Environment</th>
            <th>Address</th>
            <th>State</th>
            <th>Counts and remembers</th>
            <th>Revision</th>
          </tr>
        </thead>
        <tbody>
          {data.map((g) => {
            const state = stateOf(g);
            return (
              <tr key={g.name}>
                <td>{g.name}</td>
                <td>{g.environment}</td>
                <td className="mono">{g.address}</td>
                <td className={state.tone}>{state.words}</td>
                <td className={storeOf(g).tone}>{storeOf(g).words}</td>
                <td className="mono soft">{g.applied ?? 'none yet'}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}
