import {
  checkDocument,
  draftProxy,
  draftSoap,
  draftFor,
  draftEvents,
  draftGraph,
  exportAsyncApi,
  exportGraphql,
  exportOpenApi,
  exportWsdl,
  findingText,
  isHttpUrl,
  planFor,
  readAsyncApi,
  readContract,
  writeDocument,
  writeJson,
  type Finding,
  type FlowDocument,
} from '@hinge/core';
import { writeFile } from 'node:fs/promises';
import { demand, slugsOf } from './documents';
import { Failure, lineOf } from './fail';
import { placed, readContractFiles, readFlowFile } from './files';

export interface DraftArguments {
  readonly as: string;
  readonly address?: string;
  readonly base?: string;
  readonly name?: string;
  readonly port?: string;
  readonly out: string;
}

export async function draft(contracts: readonly string[], args: DraftArguments): Promise<void> {
  if (args.base !== undefined && !args.base.startsWith('/'))
    throw new Failure(`--base ${args.base}: a base path starts with /`);
  if (args.address !== undefined && !isHttpUrl(args.address))
    throw new Failure(`--address ${args.address}: give an http or https address`);
  let document: FlowDocument;
  if (args.as === 'proxy') {
    const source = contracts.length ? await readContractFiles(contracts) : undefined;
    const contract = source && readContract(source, { port: args.port });
    const address = args.address ?? source?.introspected ?? contract?.addresses[0];
    if (source && contract?.format === 'graphql') document = draftGraph([{ source, contract }], { ...args, address });
    else {
      if (!address) throw new Failure('draft --as proxy needs --address URL of the backend');
      document = draftProxy(address, { base: args.base, name: args.name });
    }
  } else if (args.as === 'rest') {
    if (!contracts.length && args.address) document = draftProxy(args.address, { base: args.base, name: args.name });
    else {
      if (!contracts.length)
        throw new Failure(
          'draft --as rest needs a contract, WSDL, OpenAPI or GraphQL, as a file or an http address; or --address',
        );
      const source = await readContractFiles(contracts);
      const contract = readContract(source, { port: args.port });
      document = draftFor(contract, source, planFor(contract), {
        ...args,
        address: args.address ?? source.introspected,
      });
    }
  } else if (args.as === 'soap') {
    if (!contracts.length) throw new Failure('draft --as soap needs a contract: a WSDL as a file or an http address');
    const source = await readContractFiles(contracts);
    const contract = readContract(source, { port: args.port });
    if (contract.format !== 'wsdl') throw new Failure('draft --as soap needs a WSDL; this contract is none');
    document = draftSoap(contract, source, args);
  } else if (args.as === 'graphql') {
    if (!contracts.length)
      throw new Failure(
        'draft --as graphql needs one contract or several, WSDL, OpenAPI or GraphQL, as files or http addresses',
      );
    const groups = [];
    for (const files of groupsOf(contracts)) {
      const source = await readContractFiles(files);
      groups.push({ source, contract: readContract(source, { port: args.port }) });
    }
    const introspected = groups.length === 1 ? groups[0]!.source.introspected : undefined;
    document = draftGraph(groups, { ...args, address: args.address ?? introspected });
  } else if (args.as === 'events') {
    if (!contracts.length)
      throw new Failure('draft --as events needs a contract: an AsyncAPI document as a file or an http address');
    const contract = readAsyncApi(await readContractFiles(contracts));
    document = draftEvents(contract, args);
    for (const f of contract.findings) process.stderr.write(`${findingText(f)}\n`);
  } else throw new Failure(`--as ${args.as} is unknown; there are rest, soap, graphql, events and proxy`);
  await writeFile(args.out, args.out.endsWith('.json') ? `${writeJson(document, 2)}\n` : writeDocument(document));
  const [of, what] = args.as === 'events' ? [document.topics ?? {}, 'topic'] : [document.operations, 'operation'];
  const count = Object.keys(of).length;
  process.stdout.write(`${args.out}: ${count} ${what}${count === 1 ? '' : 's'} at ${document.doors[0]!.path}\n`);
  for (const f of checkDocument(document)) process.stderr.write(`${findingText(f)}\n`);
}

/** Contracts that are drafted together: an XSD belongs to the WSDL before it. */
function groupsOf(contracts: readonly string[]): string[][] {
  const groups: string[][] = [];
  for (const file of contracts)
    if (/\.xsd$/i.test(file) && groups.length) groups.at(-1)!.push(file);
    else groups.push([file]);
  return groups;
}

/** Exit code: 0 no error, 1 an error among the findings, 2 a file that cannot be read or is neither YAML nor JSON. */
export async function check(files: readonly string[], json: boolean): Promise<number> {
  const all: Finding[] = [];
  let unreadable = false;
  const read = new Map<string, FlowDocument>();
  for (const file of files) {
    try {
      const { document, findings } = await readFlowFile(file);
      if (document) read.set(file, document);
      all.push(...findings.map((f) => ({ ...f, place: { file, ...f.place } })));
    } catch (error) {
      unreadable = true;
      process.stderr.write(`hinge: ${lineOf(error)}\n`);
    }
  }
  // One file alone says nothing of what its neighbours on the gateway will be.
  const slugs = slugsOf(files);
  const named = new Map([...read].map(([file, d]) => [slugs[files.indexOf(file)]!, d]));
  const neighbours = files.length > 1 ? (name: string) => named.get(name) : undefined;
  for (const [file, document] of read)
    all.push(...checkDocument(document, { neighbours }).map((f) => placed(f, document, file)));
  if (json) process.stdout.write(`${JSON.stringify(all, null, 2)}\n`);
  else {
    for (const f of all) process.stdout.write(`${findingText(f)}\n`);
    if (!all.length && !unreadable) process.stdout.write('no findings\n');
  }
  if (unreadable) return 2;
  return all.some((f) => f.severity === 'error') ? 1 : 0;
}

export async function exportContract(file: string, as: string): Promise<void> {
  const document = await demand(file);
  if (as === 'wsdl') {
    process.stdout.write(exportWsdl(document));
    return;
  }
  if (as === 'graphql') {
    process.stdout.write(exportGraphql(document));
    return;
  }
  if (as === 'asyncapi') {
    process.stdout.write(`${writeJson(exportAsyncApi(document), 2)}\n`);
    return;
  }
  if (as !== 'openapi') throw new Failure(`--as ${as} is unknown; there are openapi, wsdl, graphql and asyncapi`);
  process.stdout.write(`${writeJson(exportOpenApi(document), 2)}\n`);
}
