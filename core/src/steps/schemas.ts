import { callSchema } from './call/schema';
import { convertSchema } from './convert/schema';
import { mapSchema } from './map/schema';
import { replySchema } from './reply/schema';
import { setSchema } from './set/schema';

/** Schemas of all step kinds, in the order in which menus offer them: by how often a flow needs them. */
export const STEP_SCHEMAS = [mapSchema, callSchema, convertSchema, setSchema, replySchema] as const;
