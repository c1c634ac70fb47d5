import type { Budget } from '../expression/budget';
import type { Names } from '../expression/operators';
import type { Message } from '../message/message';
import { bodyValue } from './body-value';
import type { Run } from './run';

/** `body`, `headers`, `query`, `path`, `method`, `status`, `vars`, `app`, `plan`, `claims`, `env`, `steps` and `soapHeader`, each made when it is read. */
export class Scope implements Names {
  private headersMade: unknown;
  private stepsMade: unknown;
  private readonly message: Message;

  constructor(private readonly run: Run) {
    this.message = run.message;
  }

  readonly isNames = true;

  get budget(): Budget {
    return this.run.budget;
  }

  readonly names = NAMES;

  read(name: string): unknown {
    const { run, message } = this;
    switch (name) {
      case 'body':
        return bodyValue(message);
      case 'headers':
        return (this.headersMade ??= { ...message.headers, ...run.request.headerParameters });
      case 'query':
        return run.request.query;
      case 'cookies':
        return run.request.cookies;
      case 'path':
        return run.request.path;
      case 'rest':
        return run.request.rest;
      case 'rawQuery':
        return run.request.search.slice(1);
      case 'method':
        return run.request.method;
      case 'status':
        return message.status;
      case 'vars':
        return run.vars;
      case 'app':
        return run.identity?.app;
      case 'plan':
        return run.identity?.plan;
      case 'claims':
        return run.identity?.claims;
      case 'env':
        return run.env;
      case 'soapHeader':
        return message.soapHeader;
      case 'steps':
        return (this.stepsMade ??= stepValues({ request: run.firstMessage, ...run.steps }));
      default:
        return undefined;
    }
  }
}

/** Every name that an expression may begin with. */
export const NAMES: readonly string[] = [
  'body',
  'headers',
  'query',
  'cookies',
  'path',
  'rest',
  'rawQuery',
  'method',
  'status',
  'vars',
  'app',
  'plan',
  'claims',
  'env',
  'soapHeader',
  'steps',
];

function stepValues(steps: Readonly<Record<string, Message>>): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  for (const [name, m] of Object.entries(steps)) {
    Object.defineProperty(out, name, {
      enumerable: true,
      get: () => ({ status: m.status, headers: m.headers, body: m.body.pending ? undefined : bodyValue(m) }),
    });
  }
  return out;
}
