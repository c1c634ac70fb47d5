export {
  graphOf,
  exportGraphql,
  suggestJoins,
  type Graph,
  type GraphCall,
  type GraphContext,
  type GraphReply,
} from './graph';
export { executeGraph, readGraphRequest, GRAPH_LIMITS, type GraphLimits, type GraphRequest } from './execute';
export { planQuery, type PlannedCall, type PlannedQuery } from './plan';
export type { GraphCallMade } from './door';
