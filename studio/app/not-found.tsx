import Link from 'next/link';

export default function NotFound() {
  return (
    <main className="empty" style={{ paddingTop: 120 }}>
      <strong>There is no such page</strong>
      What it showed may have been renamed or ended. <Link href="/">To the desk</Link>
    </main>
  );
}
