import { surroundingsOf } from '../../../../../features/apis/server';
import { READERS } from '../../../../../lib/auth';
import { jsonRoute } from '../../../../../lib/route';

const MOST = 200;
const list = (text: string | null): string[] => (text ?? '').split(' ').filter(Boolean).slice(0, MOST);

/** Contracts and neighbours of a draft, for the check in the browser. */
export const GET = jsonRoute<{ slug: string }>(READERS, undefined, async ({ request }) => {
  const asked = new URL(request.url).searchParams;
  return surroundingsOf(list(asked.get('apis')), list(asked.get('backends')));
});
