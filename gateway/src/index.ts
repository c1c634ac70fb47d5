export * from './backends';
export * from './config';
export * from './feed/messages';
export * from './gateway';
export * from './limits';
export type { StoreOptions, StoreState, WhenAway } from './stores/link';
export { traceContext } from './telemetry/trace-context';
export type { Trace } from './telemetry/trace';
export { Rehearsals, type RehearsalOrder } from './rehearsals';
