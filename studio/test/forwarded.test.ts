import { describe, expect, test } from '@jest/globals';
import { spawn } from 'node:child_process';
import { request } from 'undici';

/** A server that says which address it takes its caller for, with the studio's preload and a list of proxies. */
async function seen(proxies: string | undefined, given?: string): Promise<string> {
  const preload = new URL('../forwarded.mjs', import.meta.url).href;
  const script = `require('node:http').createServer((q, s) => s.end(q.headers['x-forwarded-for'])).listen(0, '127.0.0.1', function () { console.log(this.address().port); });`;
  const child = spawn(process.execPath, ['--import', preload, '-e', script], {
    env: { ...process.env, HINGE_TRUSTED_PROXIES: proxies ?? '' },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  try {
    const port = await new Promise<string>((resolve, reject) => {
      child.stdout.once('data', (d: Buffer) => resolve(d.toString().trim()));
      child.once('exit', (code) => reject(new Error(`ended with ${code}`)));
    });
    const headers = given === undefined ? {} : { 'x-forwarded-for': given };
    return await (await request(`http://127.0.0.1:${port}/`, { headers })).body.text();
  } finally {
    child.kill('SIGKILL');
  }
}

describe('the address of whoever signs in (OWASP API4:2023)', () => {
  test('is that of the connection, whatever the caller writes', async () => {
    expect(await seen(undefined)).toBe('127.0.0.1');
    expect(await seen(undefined, '203.0.113.9')).toBe('127.0.0.1');
    expect(await seen('192.0.2.0/24', '203.0.113.9')).toBe('127.0.0.1');
  });

  test('is what a trusted proxy says, the last that is none itself', async () => {
    expect(await seen('loopback', '203.0.113.9')).toBe('203.0.113.9');
    // The caller wrote the first; the proxy added the second.
    expect(await seen('loopback', '198.51.100.1, 203.0.113.9')).toBe('203.0.113.9');
    expect(await seen('127.0.0.0/8, 192.0.2.7', '203.0.113.9, 192.0.2.7')).toBe('203.0.113.9');
  });
});
