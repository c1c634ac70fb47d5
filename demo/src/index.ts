export * from './berths';
export * from './documents';
export * from './port-calls';
export * from './seed';
export * from './tides';
export * from './towage';
export * from './town';
export { TOWN } from '@hinge/stand-ins';
