'use client';
import type { Finding } from '@hinge/core';

export class RequestError extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly finding: Finding | undefined,
    readonly body: Record<string, unknown>,
  ) {
    super(message);
  }
}

/** JSON in, JSON out; errors carry the studio's words. */
export async function send<T>(method: string, url: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  let reply: Response;
  try {
    reply = await fetch(url, {
      method,
      headers: body === undefined ? {} : { 'content-type': 'application/json' },
      body: body === undefined ? undefined : JSON.stringify(body),
      signal,
    });
  } catch (error) {
    if ((error as Error).name === 'AbortError') throw error;
    throw new RequestError(0, 'The studio cannot be reached. Nothing you typed is lost; try again.', undefined, {});
  }
  const value = (await reply.json().catch(() => ({}))) as Record<string, unknown>;
  if (!reply.ok)
    throw new RequestError(
      reply.status,
      (value.message as string | undefined) ?? `The studio answered ${reply.status}.`,
      value.finding as Finding | undefined,
      value,
    );
  return value as T;
}
