import { attemptSchema } from './attempt/schema';
import { callSchema } from './call/schema';
import { checkSchema } from './check/schema';
import { chooseSchema } from './choose/schema';
import { convertSchema } from './convert/schema';
import { eachSchema } from './each/schema';
import { gatherSchema } from './gather/schema';
import { mapSchema } from './map/schema';
import { publishSchema } from './publish/schema';
import { rememberSchema } from './remember/schema';
import { replySchema } from './reply/schema';
import { setSchema } from './set/schema';

/** Schemas of all step kinds, in the order in which menus offer them: by how often a flow needs them. */
export const STEP_SCHEMAS = [
  mapSchema,
  callSchema,
  chooseSchema,
  gatherSchema,
  eachSchema,
  attemptSchema,
  rememberSchema,
  convertSchema,
  setSchema,
  checkSchema,
  publishSchema,
  replySchema,
] as const;
