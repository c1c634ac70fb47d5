import { removeApp } from '../../../../../features/callers/server';
import { jsonRoute } from '../../../../../lib/route';

export const DELETE = jsonRoute<{ app: string }>(['designer', 'operator', 'caller'], undefined, ({ user, params }) =>
  removeApp(user, params.app),
);
