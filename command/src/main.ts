import { Command, CommanderError, InvalidArgumentError, Option } from 'commander';
import { Failure, lineOf } from './fail';
import { check, draft, exportContract } from './flow-commands';
import { guards } from './guards';
import { rehearseAll, rehearseOne, type RehearseArguments } from './rehearse';
import { serve, type ServeArguments } from './serve';

const port = (text: string): number => {
  const n = Number(text);
  if (!Number.isInteger(n) || n < 0 || n > 65535) throw new InvalidArgumentError('a port is a number from 0 to 65535.');
  return n;
};
const collect = (value: string, before: string[]): string[] => [...before, value];

const program = new Command('hinge')
  .description('Up Hinge: gateway flows, designed and served')
  .exitOverride()
  .configureOutput({
    writeErr: (text) => process.stderr.write(text.startsWith('error:') ? `hinge: ${text.slice(7)}` : text),
  })
  .showHelpAfterError(false)
  .allowExcessArguments(false);

program
  .command('up')
  .description('start database, stand-ins, gateway and studio; stays in the foreground')
  .option('--studio-port <port>', 'port of the studio', port, 4310)
  .option('--gateway-port <port>', "callers' port of the gateway", port, 4320)
  .option('--empty', 'without the demo', false)
  .action(async (o: { studioPort: number; gatewayPort: number; empty: boolean }) => {
    const { up } = await import('./up/up');
    await up(o);
  });

program
  .command('test')
  .argument('[names...]', 'groups: lint, types, core, gateway, command, studio, e2e')
  .description('run every test, or the named groups')
  .action(async (names: string[]) => {
    const { test } = await import('./test');
    process.exitCode = await test(names);
  });

program
  .command('draft')
  .argument(
    '[contracts...]',
    'a WSDL, OpenAPI, GraphQL or AsyncAPI document as file or http address, and documents it refers to',
  )
  .description('read contracts and write a complete, runnable flow document')
  .addOption(new Option('--as <kind>', 'rest, soap, graphql, events or proxy').makeOptionMandatory())
  .option('--address <url>', 'address of the backend, instead of the one that the contract names')
  .option('--base <path>', 'base path of the door')
  .option('--name <name>', 'name of the API')
  .option('--port <name>', 'wsdl:port to use')
  .requiredOption('--out <file>', 'file to write')
  .action((contracts: string[], o: Parameters<typeof draft>[1]) => draft(contracts, o));

program
  .command('check')
  .argument('<files...>')
  .option('--json', 'as JSON', false)
  .description('print every finding')
  .action(async (files: string[], o: { json: boolean }) => {
    process.exitCode = await check(files, o.json);
  });

program
  .command('guards')
  .argument('<files...>')
  .option('--json', 'as JSON', false)
  .description('print every way in with its effective guards and where each comes from')
  .action((files: string[], o: { json: boolean }) => guards(files, o.json));

program
  .command('serve')
  .argument('<files...>')
  .option('--port <port>', "callers' port", port, 4320)
  .option('--control-port <port>', 'control port; any free one when absent', port)
  .option('--set <setting>', 'backend.NAME.address=URL', collect, [])
  .option('--env <name>', 'environment: chooses among the addresses of backends')
  .option('--values <file>', 'variables of the environment, YAML or JSON, read as env.NAME')
  .option('--state <dir>', 'folder that keeps subscriptions and what was laid aside over a restart')
  .option(
    '--trust-proxy <cidr...>',
    'proxies whose Forwarded and X-Forwarded-* fields on client, host and scheme are believed',
    [],
  )
  .option('--tls-cert <file>', 'end TLS: certificate of the gateway, PEM')
  .option('--tls-key <file>', 'its key, PEM')
  .option('--tls-ca <file>', 'authorities of callers, PEM: certificates are asked for (mutual TLS)')
  .option(
    '--tls-crl <file>',
    'certificates that those authorities revoked, PEM; all these files are read again when they change',
  )
  .option('--secrets <file>', 'secrets of backends by name, YAML or JSON; they stand in no document')
  .option('--store <url>', 'redis://HOST:PORT: counts and remembered replies shared with other gateways')
  .addOption(
    new Option('--store-away <way>', 'when the store is away: each counts for itself, or calls are refused')
      .choices(['own', 'refuse'])
      .default('own'),
  )
  .description('run a gateway on these files alone')
  .action((files: string[], o: ServeArguments) => serve(files, o));

program
  .command('export')
  .argument('<file>')
  .addOption(new Option('--as <format>', 'openapi, wsdl, graphql or asyncapi').makeOptionMandatory())
  .description("print the API's contract in an open format")
  .action((file: string, o: { as: string }) => exportContract(file, o.as));

program
  .command('rehearse')
  .argument('<files...>')
  .option('--operation <id>', 'operation to call')
  .option('--request <file>', 'JSON with path, query, headers and body')
  .option('--all', 'run every case of the document and judge it', false)
  .option('--json', 'with --all: results as JSON', false)
  .option('--set <setting>', 'backend.NAME.address=URL', collect, [])
  .option('--env <name>', 'environment: chooses among the addresses of backends')
  .option('--values <file>', 'variables of the environment, YAML or JSON, read as env.NAME')
  .option('--secrets <file>', 'secrets of backends by name, YAML or JSON')
  .option('--door <name>', 'the door to come in by; the first one when absent')
  .option('--as <app>', 'id of the app that calls')
  .description('run one request through a flow and print every message; or all cases')
  .action(async (files: string[], o: RehearseArguments & { all: boolean; json: boolean }) => {
    if (o.all) process.exitCode = await rehearseAll(files, o, o.json);
    else if (!o.operation || !o.request)
      throw new Failure('rehearse needs --operation ID and --request FILE, or --all for every case of the document');
    else await rehearseOne(files, o);
  });

try {
  await program.parseAsync();
} catch (error) {
  if (error instanceof CommanderError)
    process.exitCode =
      error.exitCode === 0 || ['commander.help', 'commander.helpDisplayed'].includes(error.code)
        ? process.argv.length > 2
          ? 0
          : 1
        : 1;
  else {
    process.stderr.write(`hinge: ${error instanceof Failure ? error.message : lineOf(error)}\n`);
    process.exitCode = error instanceof Failure ? error.exitCode : 1;
  }
}

// Whatever was left open by a failure must not keep the process.
if (process.exitCode) setTimeout(() => process.exit(), 1_000).unref();
