'use client';
import { useQuery } from '@tanstack/react-query';
import { send } from '../../lib/client';

type Known = Readonly<{ knows: number; of: number }>;

/** Whether gateways know the callers as they stand here: asked again until all do. */
export function KnownBy({ initial }: { initial: Known }) {
  const { data } = useQuery({
    queryKey: ['callers known', initial],
    queryFn: () => send<Known>('GET', '/api/callers/known'),
    initialData: initial,
    refetchInterval: (q) => ((q.state.data?.knows ?? 0) < (q.state.data?.of ?? 0) ? 500 : 5000),
  });
  const all = data.knows >= data.of;
  return (
    <span className={all ? 'soft' : 'brass'} role="status" data-testid="callers-known">
      {data.of === 0
        ? 'no gateway yet'
        : all
          ? `${data.of === 1 ? 'the gateway knows' : `all ${data.of} gateways know`} all of this`
          : `${data.knows} of ${data.of} gateways know all of this`}
    </span>
  );
}
