import { HingeError } from '../problem';
import { collectContract, type Fetcher } from './collect';
import { isGraphql } from './graphql';
import type { ContractFiles } from './model';

/** What a GraphQL server said of itself is kept under this name. */
export const INTROSPECTED = 'schema.json';

/** Addresses that name a document, and no server that could be asked. */
const SOME_FILE = /[?&]wsdl|\.(wsdl|xsd|xml|ya?ml|json|graphqls?|gql)$/i;

/** A description of an interface, by how it begins; a page for people is none. */
export function isContract(text: string): boolean {
  const head = text.slice(0, 20_000);
  if (/^\ufeff?\s*</.test(head)) return /<(?:[\w.-]+:)?(?:definitions|schema|description)[\s>]/.test(head);
  return (
    /^\s*["']?(?:openapi|swagger|asyncapi)["']?\s*:/m.test(head) ||
    /[{,]\s*"(?:openapi|swagger|asyncapi)"\s*:/.test(head) ||
    isGraphql(text)
  );
}

/**
 * A contract by its address. It is fetched; only what is no description of an interface, at an address that names no document, is asked for its types
 * (`introspect`; undefined where that brings nothing). Throws what fetching threw.
 */
export async function contractAt(
  url: string,
  given: Readonly<Record<string, string>>,
  fetch: Fetcher,
  introspect: (url: string) => Promise<string | undefined>,
): Promise<ContractFiles> {
  if (SOME_FILE.test(url)) return collectContract(url, given, fetch);
  let failure: HingeError | undefined;
  let text = '';
  try {
    text = await fetch(url);
  } catch (error) {
    if (!(error instanceof HingeError)) throw error;
    failure = error;
  }
  if (!failure && isContract(text)) return collectContract(url, { ...given, [url]: text }, fetch);
  const types = await introspect(url);
  if (types !== undefined) return { entry: INTROSPECTED, files: { ...given, [INTROSPECTED]: types } };
  if (failure) throw failure;
  return collectContract(url, { ...given, [url]: text }, fetch);
}
