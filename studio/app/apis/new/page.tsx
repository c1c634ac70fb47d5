import Link from 'next/link';
import { NewApi } from '../../../features/shape/new-api';
import { Shell } from '../../../features/shell/shell';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'New API' };

export default function Page() {
  return (
    <Shell>
      <div className="sheet">
        <div className="title">
          <span className="soft">
            <Link href="/apis">APIs</Link> /
          </span>
          <h1>New API</h1>
          <span className="soft">
            from nothing; one from a contract begins at its <Link href="/backends">backend</Link>
          </span>
        </div>
        <NewApi />
      </div>
    </Shell>
  );
}
