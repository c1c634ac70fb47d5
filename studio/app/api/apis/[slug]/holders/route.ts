import { holdersOf } from '../../../../../features/callers/server';
import { READERS } from '../../../../../lib/auth';
import { jsonRoute } from '../../../../../lib/route';

export const GET = jsonRoute<{ slug: string }>(READERS, undefined, ({ params }) => holdersOf(params.slug));
