'use client';
import { useQuery } from '@tanstack/react-query';
import { send } from '../../lib/client';

const NAMED = 6;

/** Who is affected by a change of a plan: said while it is changed. */
export function PlanHolders({ slug, plan, own }: { slug: string; plan: string; own: number }) {
  const { data, error } = useQuery({
    queryKey: ['holders', slug],
    queryFn: () => send<Record<string, string[]>>('GET', `/api/apis/${slug}/holders`),
  });
  const names = data?.[plan] ?? [];
  const more = names.length - NAMED;
  const words = [
    ...(names.length ? [`${names.slice(0, NAMED).join(', ')}${more > 0 ? ` and ${more} more` : ''}`] : []),
    ...(own ? [`${own === 1 ? 'one app' : `${own} apps`} of this document`] : []),
  ].join('; ');
  return (
    <span className="soft grow" data-testid={`holders-${plan}`}>
      {error ? 'who holds it cannot be told now' : words ? `a change reaches ${words}` : 'nobody holds it'}
    </span>
  );
}
