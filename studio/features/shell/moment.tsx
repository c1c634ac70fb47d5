'use client';
import dayjs from 'dayjs';

/** A time as this browser's clock tells it; the exact one as a title. */
export function Moment({ at }: { at: string }) {
  return (
    <time dateTime={at} title={at} suppressHydrationWarning>
      {dayjs(at).format('D MMM HH:mm:ss')}
    </time>
  );
}
