'use client';
import { allSpans, RATE_LIMITS, type TopicRate } from '@hinge/core';
import dayjs from 'dayjs';
import { Bar, CartesianGrid, ComposedChart, Line, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';

const MINUTES = (RATE_LIMITS.spans * RATE_LIMITS.spanS) / 60;
const time = (at: unknown): string => dayjs(Number(at)).format('HH:mm:ss');

/** Events of the last half hour in spans of ten seconds, all gateways together: taken, not taken, and handed to listeners. */
export function RatesChart({ rates, now }: { rates: readonly TopicRate[]; now: number }) {
  const rows = allSpans(rates, now);
  const sum = (of: 'published' | 'failed' | 'heard') => rows.reduce((n, r) => n + r[of], 0);
  const listeners = rates.reduce((n, r) => n + r.listeners, 0);
  const listen = listeners === 0 ? 'nobody listens' : listeners === 1 ? '1 listens' : `${listeners} listen`;
  const published = sum('published');
  const failed = sum('failed');
  const heard = sum('heard');
  const words = `Last ${MINUTES} minutes: ${published} published, ${failed} not taken, ${heard} handed to listeners; ${listen} now`;
  return (
    <>
      <div className="row soft rates-words">
        <span className="spruce">
          <b>{published}</b> published
        </span>
        <span className={failed ? 'rust' : undefined}>
          <b>{failed}</b> not taken
        </span>
        <span className="brass">
          <b>{heard}</b> handed to listeners
        </span>
        <span>{listen} now</span>
        <span className="grow" />
        <span>
          last {MINUTES} minutes, by {RATE_LIMITS.spanS} s
        </span>
      </div>
      {published + failed + heard > 0 ? (
        <div className="frame" style={{ height: 150, padding: '12px 12px 2px 0' }} role="img" aria-label={words}>
          <ResponsiveContainer>
            <ComposedChart data={rows} barCategoryGap={0}>
              <CartesianGrid vertical={false} stroke="var(--hairline)" />
              <XAxis
                dataKey="at"
                tickFormatter={(at: number) => dayjs(at).format('HH:mm')}
                tick={{ fontSize: 11, fill: 'var(--soft)' }}
                stroke="var(--hairline)"
                ticks={rows.filter((r) => r.at % 300_000 === 0).map((r) => r.at)}
              />
              <YAxis
                allowDecimals={false}
                width={44}
                tick={{ fontSize: 11, fill: 'var(--soft)' }}
                stroke="var(--hairline)"
              />
              <Tooltip
                cursor={{ fill: 'var(--bench)' }}
                labelFormatter={time}
                contentStyle={{ background: 'var(--leaf)', border: '1px solid var(--hairline)', borderRadius: 6 }}
              />
              <Bar name="published" dataKey="published" stackId="in" fill="var(--spruce)" isAnimationActive={false} />
              <Bar name="not taken" dataKey="failed" stackId="in" fill="var(--rust)" isAnimationActive={false} />
              <Line
                name="handed to listeners"
                dataKey="heard"
                type="step"
                dot={false}
                stroke="var(--brass-line)"
                strokeWidth={1.5}
                isAnimationActive={false}
              />
            </ComposedChart>
          </ResponsiveContainer>
        </div>
      ) : (
        <p className="soft">No event went through this topic at these gateways.</p>
      )}
    </>
  );
}
