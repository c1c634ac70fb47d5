export { graphOf, exportGraphql, type Graph } from './graph';
export type { Batch, GraphCall, GraphContext, GraphReply } from './context';
export { fieldsAsked } from './field-checks';
export type { Join } from './joins';
export { suggestJoins } from './suggest';
export {
  executeGraph,
  readGraphRequest,
  GRAPH_LIMITS,
  graphLimits,
  type GraphLimits,
  type GraphRequest,
} from './execute';
export { planQuery, type PlannedCall, type PlannedQuery } from './plan';
export type { GraphCallMade } from './calls';
export {
  joinOperations,
  joinParts,
  joinTypes,
  joinValues,
  joinWords,
  openJoins,
  type JoinParameter,
  type JoinParts,
} from './choices';
