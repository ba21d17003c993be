import createClient, { type Middleware } from 'openapi-fetch';
import { confirmation } from './confirmation.svelte';
import type { components, operations, paths } from './schema';
import { Refusal, refusalOf } from './refusal';

export type Schemas = components['schemas'];
export type { operations };
export type Pool = Schemas['PoolRead'];
export type PoolDetail = Schemas['PoolDetailRead'];
export type Part = Schemas['PartRead'];
export type Feed = Schemas['FeedRead'];
export type Run = Schemas['RunRead'];
export type Finding = Schemas['FindingRead'];
export type Sheet = Schemas['SheetRead'];

const FORBIDDEN = 403;

function signed(request: Request): Request {
  const token = /(?:^|; )(?:__Host-)?csrftoken=([^;]+)/.exec(document.cookie)?.[1];
  if (token) request.headers.set('X-CSRFToken', token);
  return request;
}

const csrf: Middleware = {
  onRequest: ({ request }) => signed(request),
};

// A write is kept until its answer is there: one that wants the password is sent again.
const sent = new Map<string, Request>();
const again: Middleware = {
  onRequest({ request, id }) {
    if (request.method !== 'GET') sent.set(id, request.clone());
    return request;
  },
  async onResponse({ response, id }) {
    const request = sent.get(id);
    sent.delete(id);
    if (response.status !== FORBIDDEN || !request) return response;
    const refusal = refusalOf(response.status, await response.clone().json());
    if (refusal.kind !== 'password-wanted' || !(await confirmation.ask())) return response;
    return fetch(signed(request));
  },
};

const client = createClient<paths>({ baseUrl: '/' });
client.use(csrf, again);

export const api = client;

/** Header of a write: on which version it was decided. */
export function seen(version: string) {
  return { 'If-Match': `"${version}"` };
}

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The body of an answer, or a Refusal thrown. */
export async function bodyOf<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await asked;
  } catch {
    throw new Refusal({
      status: 0,
      title: 'No answer',
      detail: 'The server does not answer. Nothing typed is lost; this page tries again.',
    });
  }
  if (!answer.response.ok) throw refusalOf(answer.response.status, answer.error);
  return answer.data as T;
}
