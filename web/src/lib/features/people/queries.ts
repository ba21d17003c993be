import { infiniteQueryOptions, queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, seen, type Schemas } from '$lib/api/client';
import { cursorOf, keys } from '$lib/api/queries';

export type Person = Schemas['PersonRead'];
export type Entry = Schemas['AuditRead'];
export type Token = Schemas['TokenRead'];

export function peopleQuery(isWanted: boolean) {
  return queryOptions({
    queryKey: keys.people,
    queryFn: () => bodyOf(api.GET('/api/v1/people')),
    enabled: isWanted,
  });
}

/** The log a page at a time, each page older than the one before. */
export function logQuery(wanted: { by: string; kind: string }) {
  return infiniteQueryOptions({
    queryKey: [...keys.audit, wanted.by, wanted.kind],
    queryFn: ({ pageParam }) =>
      bodyOf(
        api.GET('/api/v1/audit', {
          params: {
            query: {
              ...(wanted.by ? { by: wanted.by } : {}),
              ...(wanted.kind ? { kind: wanted.kind } : {}),
              ...(pageParam ? { cursor: pageParam } : {}),
            },
          },
        }),
      ),
    initialPageParam: '',
    getNextPageParam: cursorOf,
  });
}

export function tokensQuery() {
  return queryOptions({
    queryKey: keys.tokens,
    queryFn: () => bodyOf(api.GET('/api/v1/tokens')),
  });
}

export function addPerson(body: Schemas['PersonWriteRequest']) {
  return bodyOf(api.POST('/api/v1/people', { body }));
}

export function changePerson(
  id: number,
  version: string,
  body: Schemas['PatchedPersonChangeRequest'],
) {
  return bodyOf(
    api.PATCH('/api/v1/people/{id}', {
      params: { path: { id }, header: seen(version) },
      body,
    }),
  );
}

export function makeToken(body: Schemas['TokenWriteRequest']) {
  return bodyOf(api.POST('/api/v1/tokens', { body }));
}

export function revokeToken(id: number) {
  return bodyOf(api.DELETE('/api/v1/tokens/{id}', { params: { path: { id } } }));
}
