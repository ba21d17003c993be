import createClient, { type Middleware } from 'openapi-fetch';
import type { components, paths } from './schema';
import { Refusal, refusalOf } from './refusal';

export type Schemas = components['schemas'];
export type Pool = Schemas['PoolRead'];
export type PoolDetail = Schemas['PoolDetailRead'];
export type Part = Schemas['PartRead'];
export type Feed = Schemas['FeedRead'];
export type Run = Schemas['RunRead'];
export type Finding = Schemas['FindingRead'];
export type Sheet = Schemas['SheetRead'];

const csrf: Middleware = {
  onRequest({ request }) {
    const token = /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1];
    if (token) request.headers.set('X-CSRFToken', token);
    return request;
  },
};

const client = createClient<paths>({ baseUrl: '/' });
client.use(csrf);
export const api = client;

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
