import { collectContract, HingeError, readContract, type ContractFiles, type Finding } from '@hinge/core';
import { entryOf, previewOf, type Preview } from './view';

export type Reading =
  | { readonly done: number; readonly of: number }
  | { readonly preview: Preview }
  | { readonly failure: { readonly message: string; readonly finding?: Finding } };

/** Every so many milliseconds: more than the eye needs would cost the reading. */
const TELL_MS = 60;

/** Reads a contract away from the thread that draws. A new worker for each: what it held goes with it. */
self.onmessage = ({ data }: MessageEvent<Partial<ContractFiles>>) => {
  const tell = (r: Reading): void => self.postMessage(r);
  let told = 0;
  const files = data.files ?? {};
  collectContract(data.entry ?? entryOf(files), files, undefined)
    .then((source) => {
      const contract = readContract(source, {
        progress: (done, of) => {
          const now = performance.now();
          if (now - told < TELL_MS) return;
          told = now;
          tell({ done, of });
        },
      });
      tell({ preview: previewOf(contract, source) });
    })
    .catch((error: Error) =>
      tell({ failure: { message: error.message, ...(error instanceof HingeError && { finding: error.finding }) } }),
    );
};
