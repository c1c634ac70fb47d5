import { faultsOf, type Fault } from './judge-openapi';

export interface Judged {
  readonly n: number;
  readonly faults: readonly Fault[];
}

/** Away from the thread that draws, and where code may be made of schemas: pages forbid that (content security policy). */
self.onmessage = ({ data }: MessageEvent<{ n: number; value: unknown }>) => {
  let faults: readonly Fault[] = [];
  try {
    faults = faultsOf(data.value);
  } catch {
    // A value that the schema cannot be held against has no faults by it.
  }
  self.postMessage({ n: data.n, faults } satisfies Judged);
};
