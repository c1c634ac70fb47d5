import { CONTRACT_CODES, type CodeRow, type Severity } from './contract-codes';
import { REQUEST_CODES } from './request-codes';

/**
 * One table of everything that can be wrong: findings of the checker, refusals of the gateway, failures of a backend.
 * Codes are stable and never reused. 1xx reading XML and contracts, 2xx the flow document, 3xx the flow against its
 * contracts, 4xx a caller's request, 5xx a backend. `status` is the HTTP status a caller sees, where a caller can see it.
 * `docs/findings.md` carries the same rows; a test ties the two together.
 */
export type { Severity };

export const CODES = {
  ...CONTRACT_CODES,
  ...REQUEST_CODES,
  'HNG-201': {
    severity: 'error',
    title: 'The file is neither YAML nor JSON',
    remedy: 'Correct the text at the given line.',
  },
  'HNG-202': {
    severity: 'error',
    title: 'The flow document breaks its schema',
    remedy: 'See docs/flow.schema.json for what may stand here.',
  },
  'HNG-203': {
    severity: 'error',
    title: 'The format version is not known',
    remedy: 'Use a newer version of this program, or write "hinge: 1".',
  },
  'HNG-204': {
    severity: 'error',
    title: 'The OpenAPI text cannot be read',
    remedy: 'Correct the text at the given line. Until then forms keep the last state that could be read.',
  },
  'HNG-205': {
    severity: 'error',
    title: 'The OpenAPI text asks for what cannot be served',
    remedy: 'Change the text at the given line. Until then this part stays as it was.',
  },
  'HNG-206': {
    severity: 'info',
    title: 'Only the OpenAPI text says this',
    remedy: 'It stays in the text; the gateway does not act by it.',
  },
  'HNG-301': {
    severity: 'error',
    title: 'A backend has no address',
    remedy: 'Give the backend an address for this environment.',
  },
  'HNG-302': {
    severity: 'error',
    title: 'A step names a backend or an operation that does not exist',
    remedy: 'Choose one of the names that the contract has.',
  },
  'HNG-303': {
    severity: 'error',
    title: 'A required field has no source',
    remedy: 'Join the field to a source, or give it an expression.',
  },
  'HNG-304': {
    severity: 'error',
    title: 'An expression has a mistake',
    remedy: 'Correct the expression at the given position.',
  },
  'HNG-305': {
    severity: 'error',
    title: 'Two operations answer the same method and path',
    remedy: 'Give one of them another path or method.',
  },
  'HNG-306': {
    severity: 'error',
    title: 'Path and parameters do not agree',
    remedy: 'Declare every {name} of the path as a path parameter, and no other.',
  },
  'HNG-307': {
    severity: 'warning',
    title: 'A reply has a body but no content type',
    remedy: 'Name the media type of the reply.',
  },
  'HNG-308': {
    severity: 'error',
    title: 'A flow ends without a reply that callers can read',
    remedy: 'End the flow with a map to the reply, or with a reply step.',
  },
  'HNG-309': {
    severity: 'error',
    title: 'A target field does not exist',
    remedy: 'Choose a field of the target; the contract knows no other.',
  },
  'HNG-310': {
    severity: 'warning',
    title: 'A value may not fit its target',
    remedy: 'Convert the value in the expression, or correct the types.',
  },
  'HNG-311': {
    severity: 'error',
    title: 'Two doors share one base path',
    remedy: 'Give each door a base path of its own.',
  },
  'HNG-312': {
    severity: 'warning',
    title: 'Precision or text may be lost',
    remedy: 'Round or cut it in the expression, so that it is plain what is lost.',
  },
  'HNG-313': {
    severity: 'warning',
    title: 'A list is put where one value is wanted',
    remedy: 'Choose one item, e.g. list[0], or join them.',
  },
  'HNG-314': {
    severity: 'warning',
    title: 'A value may be outside of the enumeration',
    remedy: 'Turn each value into one that is allowed there, e.g. by a condition.',
  },
  'HNG-315': {
    severity: 'warning',
    title: 'A step or a line can never be reached',
    remedy: 'Remove it, or change what stands before it.',
  },
  'HNG-316': {
    severity: 'info',
    title: 'No case reaches this line',
    remedy: 'Keep a case whose request takes the line.',
  },
  'HNG-317': {
    severity: 'error',
    title: 'The contract does not allow this reply',
    remedy: 'Change the reply, or the reply that the operation declares.',
  },
  'HNG-318': {
    severity: 'warning',
    title: 'A secret stands in clear text',
    remedy: 'Keep it in the environment and write {{ env.NAME }} or env.NAME.',
  },
  'HNG-319': {
    severity: 'warning',
    title: 'An unsafe request would be remembered',
    remedy: 'Name in the key what tells two requests apart, or take the step away.',
  },
  'HNG-320': {
    severity: 'warning',
    title: 'A call that may not be repeated is repeated',
    remedy: 'Leave the retry out, or say unsafe: true when the backend takes the same request twice.',
  },
  'HNG-321': {
    severity: 'error',
    title: 'Operations call each other in a circle',
    remedy: 'Break the circle: let one of them call a backend.',
  },
  'HNG-322': {
    severity: 'warning',
    title: 'A case gives a value that nothing reads',
    remedy: 'Remove the value, or declare the parameter.',
  },
  'HNG-323': {
    severity: 'error',
    title: 'A template is not well-formed',
    remedy: 'Correct the text; {{ }} stands for one value.',
  },
  'HNG-324': {
    severity: 'warning',
    title: 'An example does not fit its schema',
    remedy: 'Correct the example or the schema.',
  },
  'HNG-325': {
    severity: 'info',
    title: 'The API has no door',
    remedy: 'Nothing to do where other flows call it; callers outside get 404.',
  },
  'HNG-326': { severity: 'error', title: 'A name is used twice', remedy: 'Give each its own name.' },
  'HNG-327': {
    severity: 'error',
    title: 'A call gets no request of its own',
    remedy: 'Put a map to the operation in front of the call.',
  },
  'HNG-328': {
    severity: 'error',
    title: 'There is no such topic, or no such broker',
    remedy: 'Choose a topic of this API, or give it one.',
  },
  'HNG-334': { severity: 'error', title: 'The broker cannot do this', remedy: 'Change the topic, or its broker.' },
  'HNG-336': {
    severity: 'warning',
    title: 'Requests of known callers are not remembered',
    remedy:
      'Name headers.authorization or headers.cookie in the key if each caller shall have an own result, or take them off with a guard or a map.',
  },
  'HNG-335': { severity: 'error', title: 'Parameters of a topic do not fit', remedy: 'Give each of them a value.' },
  'HNG-329': {
    severity: 'error',
    title: 'A guard lets nobody in',
    remedy: 'Give the guard what it compares with.',
  },
  'HNG-330': {
    severity: 'warning',
    title: 'A guard lets too much in',
    remedy: 'Name who may come in.',
  },
  'HNG-331': {
    severity: 'warning',
    title: 'The backend asks for credentials that the gateway does not have',
    remedy: 'Give the backend credentials; their secrets are set for each environment.',
  },
  'HNG-332': {
    severity: 'error',
    title: 'These credentials do not fit the backend',
    remedy: 'Choose another kind.',
  },
  'HNG-333': {
    severity: 'error',
    title: 'A kept query cannot be asked',
    remedy: 'Correct the query, or take it out.',
  },
  'HNG-337': {
    severity: 'error',
    title: 'An expression reads what nothing has set',
    remedy: 'Set it in a step in front of this one, or choose a name that there is.',
  },
  'HNG-338': { severity: 'error', title: 'There is no such plan', remedy: 'Choose a plan of this document.' },
  'HNG-339': {
    severity: 'warning',
    title: 'Braces stand where no template is read',
    remedy: 'Here {{ }} is text as any other; make the value by an expression.',
  },
  'HNG-340': {
    severity: 'warning',
    title: 'The request is written after it was sent',
    remedy: 'Put the step in front of the call, or write the reply.',
  },
  'HNG-341': {
    severity: 'error',
    title: 'A reference of a schema leads nowhere',
    remedy: 'Give the document a type of this name, and write #/types/NAME.',
  },
  'HNG-501': {
    severity: 'error',
    title: 'The backend has no address here',
    status: 503,
    remedy: 'Give the backend an address for this environment.',
  },
  'HNG-502': {
    severity: 'error',
    title: 'The backend cannot be reached',
    status: 503,
    remedy: 'Check that the backend runs and that its address is right.',
  },
  'HNG-503': {
    severity: 'error',
    title: 'The backend did not answer in time',
    status: 504,
    remedy: 'Look at the backend, or raise its time limit.',
  },
  'HNG-504': {
    severity: 'error',
    title: "The backend's answer cannot be read",
    status: 502,
    remedy: "Look at the backend's reply in the trace.",
  },
  'HNG-505': {
    severity: 'error',
    title: "The backend's answer breaks its contract",
    status: 502,
    remedy: 'Replace the contract by the current one, or set the backend to lenient.',
  },
  'HNG-506': {
    severity: 'error',
    title: 'The backend refused the request',
    status: 400,
    remedy: 'The fault says why.',
  },
  'HNG-508': {
    severity: 'error',
    title: 'The backend is left alone after failures',
    status: 503,
    remedy: 'Wait, or look at why it fails.',
  },
  'HNG-509': {
    severity: 'error',
    title: 'A credential of the backend is not set here',
    status: 503,
    remedy: 'Set the secret for this environment.',
  },
  'HNG-512': {
    severity: 'error',
    title: 'No token is to be had for the backend',
    status: 502,
    remedy: 'Look at the address of the issuer, the client id and its secret.',
  },
  'HNG-510': {
    severity: 'error',
    title: 'The topic cannot be reached',
    status: 503,
    remedy: 'Nothing was taken. Try again, and look whether the broker is there.',
  },
  'HNG-511': {
    severity: 'error',
    title: 'The topic is not to be had here',
    status: 503,
    remedy: 'Give the broker an address for this environment.',
  },
  'HNG-507': { severity: 'error', title: 'The backend failed', status: 502, remedy: 'The fault says why.' },
} as const satisfies Record<string, CodeRow>;

export type Code = keyof typeof CODES;

export function codeRow(code: Code): CodeRow {
  return CODES[code];
}
