import { knownBy } from '../../../../features/callers/server';
import { jsonRoute } from '../../../../lib/route';

export const GET = jsonRoute(['designer', 'operator', 'auditor', 'caller'], undefined, () => knownBy());
