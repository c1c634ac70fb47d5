export * from './berths/service';
export * from './broker/service';
export * from './receiver/service';
export * from './town/town';
export { tidesOf, VESSELS } from './town/records';
export type { Behaviour } from './behaviour';
