import { checkDocument, typeFlow, type Finding, type FlowDocument, type StepTyping } from '@hinge/core';

/** What stands around a draft: contracts and addresses of backends, documents of other APIs that flows call. */
export interface Surroundings {
  readonly backends: NonNullable<FlowDocument['backends']>;
  readonly neighbours: Readonly<Record<string, FlowDocument>>;
}

export type Question =
  | { readonly surroundings: Surroundings }
  | {
      readonly n: number;
      /** Without its cases and its text: they are large, and seldom change. */
      readonly document: FlowDocument;
      readonly operation: string;
      readonly environment: string;
    }
  | { readonly cases: FlowDocument['cases'] };

export interface Checked {
  readonly findings: readonly Finding[];
  readonly typing: readonly StepTyping[];
}

export type Answered = { readonly n: number } & ({ readonly checked: Checked } | { readonly failure: string });

let around: Surroundings = { backends: {}, neighbours: {} };
let cases: FlowDocument['cases'];

/** Checks and types away from the thread that draws: contracts are read here once. */
self.onmessage = ({ data }: MessageEvent<Question>) => {
  if ('surroundings' in data) {
    around = data.surroundings;
    return;
  }
  if ('cases' in data) {
    cases = data.cases;
    return;
  }
  const { n, document, operation, environment } = data;
  try {
    const backends = Object.fromEntries(
      Object.entries(document.backends ?? {}).map(([name, own]) => [name, { ...own, ...around.backends[name] }]),
    );
    const whole: FlowDocument = { ...document, cases, backends };
    const neighbours = (name: string) => around.neighbours[name];
    const checked: Checked = {
      findings: checkDocument(whole, { environments: [environment], neighbours }),
      typing: typeFlow(whole, operation, neighbours),
    };
    self.postMessage({ n, checked } satisfies Answered);
  } catch (error) {
    self.postMessage({ n, failure: (error as Error).message } satisfies Answered);
  }
};
