import { describe, expect, test } from '@jest/globals';
import { contractAt, HingeError, INTROSPECTED, isContract } from '../src';

/** A server at an address: what GET brings, what it says of its types, and what it was asked. */
const at = async (url: string, page: string | undefined, types?: string, given = {}) => {
  const asked: string[] = [];
  const found = contractAt(
    url,
    given,
    (location) => {
      asked.push(`GET ${location}`);
      return page === undefined
        ? Promise.reject(new HingeError('HNG-120', `${location} answered 405`, { file: location }))
        : Promise.resolve(page);
    },
    (location) => {
      asked.push(`POST ${location}`);
      return Promise.resolve(types);
    },
  ).then(
    (f) => f.entry,
    (error: unknown) => (error instanceof HingeError ? error.finding.message : String(error)),
  );
  return [await found, ...asked];
};
const OPENAPI = '{"openapi":"3.1.0","info":{"title":"T","version":"1"},"paths":{}}';
const TYPES = '{"data":{"__schema":{}}}';
const URL = 'http://a.example/api';

describe('a contract by its address', () => {
  test('is fetched; nobody is sent a query who serves a description', async () => {
    expect(await at(URL, OPENAPI, TYPES)).toEqual([URL, `GET ${URL}`]);
    expect(await at(URL, 'openapi: 3.0.3\ninfo: {}\n')).toEqual([URL, `GET ${URL}`]);
    expect(await at(`${URL}?wsdl`, '<p>not here</p>', TYPES)).toEqual([`${URL}?wsdl`, `GET ${URL}?wsdl`]);
  });

  test('is asked for its types where it serves a page for people, or refuses GET', async () => {
    expect(await at(URL, '<!doctype html><html><body>try it</body></html>', TYPES)).toEqual([
      INTROSPECTED,
      `GET ${URL}`,
      `POST ${URL}`,
    ]);
    expect(await at(URL, undefined, TYPES)).toEqual([INTROSPECTED, `GET ${URL}`, `POST ${URL}`]);
    expect(await at(URL, '{"errors":[{"message":"Must provide query string."}]}', TYPES)).toEqual([
      INTROSPECTED,
      `GET ${URL}`,
      `POST ${URL}`,
    ]);
  });

  test('that is neither says why it could not be fetched', async () => {
    expect(await at(URL, undefined)).toEqual([`${URL} answered 405`, `GET ${URL}`, `POST ${URL}`]);
    // What it is instead, whoever reads it will say.
    expect(await at(URL, 'hello')).toEqual([URL, `GET ${URL}`, `POST ${URL}`]);
  });
});

test.each<[boolean, string]>([
  [true, '<?xml version="1.0"?><!-- x --><wsdl:definitions xmlns:wsdl="http://schemas.xmlsoap.org/wsdl/"/>'],
  [true, '<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema"/>'],
  [true, '\ufeff{\n  "info": {},\n  "swagger": "2.0" }'],
  [true, 'asyncapi: 3.0.0'],
  [true, "'openapi': 3.1.0"],
  [true, 'type Query { a: Int }'],
  [false, '<html><head><title>The schema</title></head></html>'],
  [false, '{"message":"the openapi of this server"}'],
  [false, ''],
])('a description: %s, %s', (is, text) => {
  expect(isContract(text)).toBe(is);
});
