import { HingeError } from '../problem';
import { isGraphql, readGraphql } from './graphql';
import type { Contract, ContractFiles } from './model';
import { readOpenApi } from './openapi';
import { readWsdl, type WsdlOptions } from './wsdl';

export type ContractKind = Contract['format'];

/** What a document is, by its first characters. */
export function contractKindOf(text: string): ContractKind {
  return /^\ufeff?\s*</.test(text) ? 'wsdl' : isGraphql(text) ? 'graphql' : 'openapi';
}

/** Reads a contract of any kind that is known. Throws HingeError when nothing can be made of it. */
export function readContract(source: ContractFiles, options: WsdlOptions = {}): Contract {
  const text = source.files[source.entry];
  if (text === undefined)
    throw new HingeError('HNG-112', `${source.entry} is not among the files`, { file: source.entry });
  const kind = contractKindOf(text);
  if (kind === 'graphql') return readGraphql(source);
  return kind === 'wsdl' ? readWsdl(source, options) : readOpenApi(source, options.progress);
}

const known = new Map<string, Contract>();
const KNOWN = 64;

/** The same, once for each text: however many documents, revisions and screens ask for it. */
export function readContractOnce(source: ContractFiles & WsdlOptions): Contract {
  const key = JSON.stringify([source.entry, source.port, source.files]);
  const contract = known.get(key) ?? readContract(source, { port: source.port });
  known.delete(key);
  known.set(key, contract);
  if (known.size > KNOWN) known.delete(known.keys().next().value!);
  return contract;
}
