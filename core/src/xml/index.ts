export * from './tree';
export * from './text';
export { printXml } from './print';
export * from './scanner';
export { internNamespace, isSpace, isXmlName, XmlError } from './characters';
