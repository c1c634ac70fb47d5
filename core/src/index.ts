/** The whole core: no I/O, no interface code; runs in Node and in a browser. */
export * from './contract';
export * from './draft';
export * from './export/openapi';
export * from './expression';
export * from './flow';
export * from './guards/kind';
export { GUARD_ORDER, guardKind } from './guards/registry';
export * from './limits';
export * from './message';
export * from './problem';
export * from './schema';
export { endToEnd } from './message/hop';
export { STEP_KINDS, stepKind } from './steps/registry';
export type { BackendContext, MessageType, StepContext, StepKind } from './steps/kind';
export { readJson, writeJson, JsonError } from './codec/json';
export { printXml, escapeText, escapeAttribute, decodeXml } from './xml';
export type { SoapValue as SoapValueLike } from './codec/soap';
export { readSoap, writeSoap, writeFault, soapMediaType, type SoapAnswer, type SoapFault } from './codec/soap';
