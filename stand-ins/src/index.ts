export * from './berths/service';
export type { Behaviour } from './behaviour';
