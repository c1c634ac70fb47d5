'use client';

export default function Failed({ reset }: { error: Error; reset: () => void }) {
  return (
    <main className="empty" style={{ paddingTop: 120 }}>
      <strong>This page could not be made</strong>
      The studio&apos;s log says why.{' '}
      <button className="plain spruce" onClick={reset}>
        Try again
      </button>
    </main>
  );
}
