/** An app as one API knows it. */
export interface KnownCaller {
  readonly id: string;
  readonly name: string;
  /** Plan of its subscription to the API; absent without one. */
  readonly plan?: string;
  /** Why it may not call this API: its subscription is not approved. */
  readonly closed?: ClosedState;
}

export type SubscriptionState = 'asked' | 'approved' | 'refused' | 'paused' | 'ended';
export type ClosedState = Exclude<SubscriptionState, 'approved'> | 'none';

/** Apps that live outside of documents: known to all APIs of a gateway, changed while it runs. */
export interface Callers {
  /** By the SHA-256 of a live key, in hexadecimal digits of lower case. */
  byKey(hash: string, api: string | undefined): KnownCaller | undefined;
  byId(id: string, api: string | undefined): KnownCaller | undefined;
}

/** What a token of our own says, once its signature and its life were checked. */
export interface OwnToken {
  readonly clientId: string;
  /** The only API that it is for: its app stands in the document of that API. */
  readonly api?: string;
  readonly scopes: readonly string[];
  readonly claims: Readonly<Record<string, unknown>>;
}

export interface Tokens {
  /** Throws TokenRefused with words for the caller. */
  verify(token: string): Promise<OwnToken>;
}

export class TokenRefused extends Error {
  override readonly name = 'TokenRefused';
}
