'use client';
import dayjs from 'dayjs';
import { Bar, BarChart, CartesianGrid, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import type { AppDetails } from './server';

/** Calls by hour: let in and answered, refused, failed. Hours without calls stand as such. */
export function CallsChart({ hours: rows }: { hours: AppDetails['hours'] }) {
  const sum = (of: 'answered' | 'refused' | 'failed') => rows.reduce((n, r) => n + r[of], 0);
  const words = `${sum('answered')} answered, ${sum('refused')} refused, ${sum('failed')} failed`;
  if (!rows.some((r) => r.answered + r.refused + r.failed)) return <div className="soft">None that was traced.</div>;
  return (
    <>
      <div className="soft">{words}; those that were traced</div>
      <div className="frame" style={{ height: 170, padding: '12px 12px 4px 0' }} role="img" aria-label={words}>
        <ResponsiveContainer>
          <BarChart data={rows} barCategoryGap={2}>
            <CartesianGrid vertical={false} stroke="var(--hairline)" />
            <XAxis
              dataKey="hour"
              tickFormatter={(at: string) => dayjs(at).format('HH:mm')}
              tick={{ fontSize: 11, fill: 'var(--soft)' }}
              stroke="var(--hairline)"
              interval={3}
            />
            <YAxis
              allowDecimals={false}
              width={44}
              tick={{ fontSize: 11, fill: 'var(--soft)' }}
              stroke="var(--hairline)"
            />
            <Tooltip
              cursor={{ fill: 'var(--bench)' }}
              labelFormatter={(at) => dayjs(String(at)).format('D MMM HH:mm')}
              contentStyle={{ background: 'var(--leaf)', border: '1px solid var(--hairline)', borderRadius: 6 }}
            />
            <Bar dataKey="answered" stackId="all" fill="var(--spruce)" isAnimationActive={false} />
            <Bar dataKey="refused" stackId="all" fill="var(--brass-line)" isAnimationActive={false} />
            <Bar dataKey="failed" stackId="all" fill="var(--rust)" isAnimationActive={false} />
          </BarChart>
        </ResponsiveContainer>
      </div>
    </>
  );
}
