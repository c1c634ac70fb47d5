export * from './tree';
export * from './text';
export { printXml } from './print';
