import { readFile, stat } from 'node:fs/promises';
import { createSecureContext } from 'node:tls';
import type { TlsOptions } from './http/certificate';

export interface TlsFiles {
  readonly cert?: string;
  readonly key?: string;
  readonly ca?: string;
  readonly crl?: string;
}

/** Certificate, key and authorities from PEM files. Throws an Error whose message names the option that is wrong. */
export async function readTls({ cert, key, ca, crl }: TlsFiles): Promise<TlsOptions | undefined> {
  if (cert === undefined && key === undefined && ca === undefined && crl === undefined) return undefined;
  if (cert === undefined) throw new Error('--tls-cert is needed besides --tls-key, --tls-ca and --tls-crl');
  if (crl !== undefined && ca === undefined) throw new Error('--tls-ca is needed besides --tls-crl');
  if (key === undefined) throw new Error('--tls-key is needed besides --tls-cert');
  const read = async (option: string, file: string): Promise<string> => {
    const text = await readFile(file, 'utf8').catch((error: Error & { code?: string }) => {
      throw new Error(`${option} ${file}: ${error.code === 'ENOENT' ? 'there is no such file' : error.message}`);
    });
    if (!text.includes('-----BEGIN ')) throw new Error(`${option} ${file}: this is no PEM file`);
    return text;
  };
  const options = {
    cert: await read('--tls-cert', cert),
    key: await read('--tls-key', key),
    ...(ca !== undefined && { ca: await read('--tls-ca', ca) }),
    ...(crl !== undefined && { crl: await read('--tls-crl', crl) }),
  };
  try {
    createSecureContext(options);
  } catch (error) {
    throw new Error(
      `the files of --tls-cert, --tls-key, --tls-ca and --tls-crl cannot be used: ${(error as Error).message}`,
      { cause: error },
    );
  }
  return options;
}

/** How often the files are looked at. */
const EVERY_MS = 2_000;

/**
 * Reads the files again when one of them has changed: certificates are renewed, and others revoked, while the gateway runs. What cannot be used is told
 * once, and the former stays. Gives back what ends it.
 */
export function watchTls(
  files: TlsFiles,
  apply: (tls: TlsOptions) => void,
  log: (message: string) => void,
  everyMs: number = EVERY_MS,
): () => void {
  const paths = Object.values(files).filter((f): f is string => f !== undefined);
  const seen = async (): Promise<string> =>
    (
      await Promise.all(
        paths.map((p) =>
          stat(p).then(
            (s) => `${s.mtimeMs} ${s.size} ${s.ino}`,
            () => 'none',
          ),
        ),
      )
    ).join();
  let known: string | undefined;
  let busy = false;
  const look = async (): Promise<void> => {
    const now = await seen();
    if (known === undefined || now === known) {
      known = now;
      return;
    }
    known = now;
    try {
      const tls = await readTls(files);
      if (!tls) return;
      apply(tls);
      log('certificates were read again');
    } catch (error) {
      log(`the former certificates stay: ${(error as Error).message}`);
    }
  };
  const timer = setInterval(() => {
    if (busy) return;
    busy = true;
    void look().finally(() => (busy = false));
  }, everyMs).unref();
  void look();
  return () => clearInterval(timer);
}
