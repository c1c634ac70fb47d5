import { revokeCredential } from '../../../../../features/callers/credentials-server';
import { jsonRoute, numberOf } from '../../../../../lib/route';

export const DELETE = jsonRoute<{ id: string }>(['designer', 'operator', 'caller'], undefined, ({ user, params }) =>
  revokeCredential(user, numberOf(params.id)),
);
