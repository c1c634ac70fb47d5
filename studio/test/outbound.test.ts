import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { fetchOutside, isPublic } from '../lib/outbound';

let server: Server;
let origin = '';
let asked = 0;
beforeAll(async () => {
  server = createServer((req, res) => {
    asked++;
    if (req.url === '/away') res.writeHead(302, { location: 'http://169.254.169.254/latest' });
    res.end('here');
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => void server.close());
afterEach(() => void delete process.env.HINGE_IMPORT_ALLOW);

describe('addresses that only this server can reach (RFC 6890, OWASP API7:2023)', () => {
  test.each([
    '0.0.0.0',
    '10.1.2.3',
    '100.64.0.1',
    '127.0.0.1',
    '127.9.9.9',
    '169.254.169.254',
    '172.16.0.1',
    '172.31.255.255',
    '192.168.1.1',
    '198.18.0.1',
    '224.0.0.1',
    '255.255.255.255',
    '::',
    '::1',
    'fc00::1',
    'fd12::1',
    'fe80::1',
    'ff02::1',
    '::ffff:10.0.0.1',
    '::ffff:127.0.0.1',
    '64:ff9b::a00:1',
    // 6to4 (RFC 3056), Teredo (RFC 4380), IPv4-compatible (RFC 4291 §2.5.5.1), local translators (RFC 8215), documentation.
    '2002:7f00:1::',
    '2002:a00:1::1',
    '2001::7f00:1',
    '::7f00:1',
    '::127.0.0.1',
    '::10.0.0.1',
    '64:ff9b:1::a00:1',
    '2001:db8::1',
    '192.0.2.1',
    '4000::1',
    'fec0::1',
    'no address',
  ])('%s is not public', (address) => expect(isPublic(address, [])).toBe(false));
  test.each(['1.1.1.1', '172.15.0.1', '172.32.0.1', '9.255.255.255', '11.0.0.1', '2606:4700::1111', '::ffff:8.8.8.8'])(
    '%s is',
    (address) => expect(isPublic(address, [])).toBe(true),
  );
  test('loopback is when somebody says so; the rest of the private ones are not', () => {
    expect(
      ['127.0.0.1', '::1', '::ffff:127.0.0.1', '10.0.0.1', '169.254.169.254'].map((a) => isPublic(a, ['loopback'])),
    ).toEqual([true, true, true, false, false]);
  });
});

describe('fetching by address', () => {
  const port = () => new URL(origin).port;
  test.each<[string, () => string]>([
    ['an address in figures', () => `${origin}/a`],
    ['one number', () => `http://2130706433:${port()}/`],
    ['hexadecimal and short', () => `http://0x7f.1:${port()}/`],
    ['a name that stands for one', () => `http://localhost:${port()}/`],
    ['IPv6', () => `http://[::1]:${port()}/`],
    ['IPv4 in IPv6', () => `http://[::ffff:127.0.0.1]:${port()}/`],
    ['cloud metadata', () => 'http://169.254.169.254/latest/meta-data'],
  ])('%s is refused before anybody is asked, with words that help', async (_name, url) => {
    const before = asked;
    await expect(fetchOutside(url())).rejects.toMatchObject({
      status: 422,
      message: expect.stringContaining('private network'),
    });
    expect(asked).toBe(before);
  });

  test('an origin on the list is fetched, another of the same host is not', async () => {
    process.env.HINGE_IMPORT_ALLOW = `https://contracts.example ${origin}`;
    expect(await (await fetchOutside(`${origin}/a`)).body.text()).toBe('here');
    await expect(fetchOutside('http://127.0.0.1:1/')).rejects.toMatchObject({ status: 422 });
    await expect(fetchOutside(`http://localhost:${port()}/`)).rejects.toMatchObject({ status: 422 });
  });

  test('loopback on the list lets names of it in, too; a redirect is an answer and no way on', async () => {
    process.env.HINGE_IMPORT_ALLOW = 'loopback';
    expect(await (await fetchOutside(`http://localhost:${port()}/`)).body.text()).toBe('here');
    const away = await fetchOutside(`${origin}/away`);
    await away.body.dump();
    expect(away.statusCode).toBe(302);
  });
});
