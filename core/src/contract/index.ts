export * from './model';
export * from './wsdl';
export * from './collect';
