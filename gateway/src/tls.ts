import { readFile } from 'node:fs/promises';
import { createSecureContext } from 'node:tls';
import type { TlsOptions } from './http/certificate';

export interface TlsFiles {
  readonly cert?: string;
  readonly key?: string;
  readonly ca?: string;
}

/** Certificate, key and authorities from PEM files. Throws an Error whose message names the option that is wrong. */
export async function readTls({ cert, key, ca }: TlsFiles): Promise<TlsOptions | undefined> {
  if (cert === undefined && key === undefined && ca === undefined) return undefined;
  if (cert === undefined) throw new Error('--tls-cert is needed besides --tls-key and --tls-ca');
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
  };
  try {
    createSecureContext(options);
  } catch (error) {
    throw new Error(`--tls-cert and --tls-key cannot be used: ${(error as Error).message}`, { cause: error });
  }
  return options;
}
