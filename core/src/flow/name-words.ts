/** What an expression may begin with, for who writes one: in words, with an expression and what it gives for the request of `NAME_EXAMPLE`. */
export interface NameWords {
  readonly name: string;
  readonly words: string;
  readonly example: string;
  readonly gives: unknown;
}

/**
 * The request that the examples are told for: `POST /vessels/TV-10023/calls/north/2?days=2&quay=n` at an operation `/vessels/{callNumber}/*`
 * of an app of the plan Gold, with a variable and one step before, `{ kind: set, name: first, values: { office: '"TH-22"' } }`.
 */
export const NAME_EXAMPLE = {
  path: { callNumber: 'TV-10023', '*': 'calls/north/2' },
  query: { days: 2, quay: 'n' },
  headers: { 'x-office': 'TH-22', 'content-type': 'application/json' },
  cookies: { session: 'a1' },
  body: { vessel: { name: 'Alma' }, stays: [{ nights: 1 }, { nights: 3 }] },
} as const;

export const NAME_WORDS: readonly NameWords[] = [
  {
    name: 'body',
    words: 'The body of the message as it is now: the request, behind a call its reply',
    example: '$sum(body.stays.nights)',
    gives: 4,
  },
  {
    name: 'headers',
    words:
      'Header fields of the message, by names in lower case; header parameters of the operation by their own names',
    example: 'headers.`x-office`',
    gives: 'TH-22',
  },
  { name: 'query', words: 'Query parameters of the caller, by their schemas', example: 'query.days', gives: 2 },
  { name: 'cookies', words: 'Cookies of the caller', example: 'cookies.session', gives: 'a1' },
  {
    name: 'path',
    words: 'Path parameters of the caller, percent-decoded',
    example: 'path.callNumber',
    gives: 'TV-10023',
  },
  {
    name: 'rest',
    words: 'What a wildcard at the end of the path took, with its slash, percent-encoded as it came',
    example: 'rest',
    gives: '/calls/north/2',
  },
  {
    name: 'rawQuery',
    words: 'The query as it came, without its question mark',
    example: 'rawQuery',
    gives: 'days=2&quay=n',
  },
  { name: 'method', words: 'Method of the caller', example: 'method', gives: 'POST' },
  {
    name: 'status',
    words: 'Status of the message: nothing for a request, that of the reply behind a call',
    example: '$exists(status)',
    gives: false,
  },
  {
    name: 'vars',
    words:
      'What steps have set: vars.NAME of a set step, vars.item and vars.index inside of each, vars.failure behind a failed attempt',
    example: 'vars.office',
    gives: 'TH-22',
  },
  { name: 'app', words: 'Who calls, once a guard has found out: id and name', example: 'app.name', gives: 'Pilots' },
  { name: 'plan', words: 'The plan of the app: its name and its values', example: 'plan.values.rows', gives: 20 },
  {
    name: 'claims',
    words: 'Claims of the token or facts of the certificate that a guard has read; nothing without one',
    example: '$exists(claims)',
    gives: false,
  },
  {
    name: 'env',
    words: 'Variables of the environment, of --values where files are served',
    example: 'env.office',
    gives: 'TH-01',
  },
  {
    name: 'soapHeader',
    words: 'Header blocks of a SOAP message, by their local names; nothing for other messages',
    example: '$exists(soapHeader)',
    gives: false,
  },
  {
    name: 'steps',
    words:
      'Messages of before: steps.request is what came in, steps.NAME the message behind the step of that name, each with status, headers and body',
    example: 'steps.request.body.vessel.name',
    gives: 'Alma',
  },
];
