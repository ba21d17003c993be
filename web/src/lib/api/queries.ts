import { keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf } from './client';

const REFRESH_MS = 30_000; // readings come every few minutes; a screen left open keeps up

const ESTATE = ['estate'] as const;

/** Queries by what they are of; what a feed brings or a mark changes bears on all of the estate. */
export const keys = {
  estate: ESTATE,
  pools: [...ESTATE, 'pools'] as const,
  thing: (id: number) => [...ESTATE, 'thing', id] as const,
  scope: (scope: string) => [...ESTATE, 'scope', scope] as const,
  placement: [...ESTATE, 'placement'] as const,
  record: [...ESTATE, 'record'] as const,
  kinds: [...ESTATE, 'kinds'] as const,
  findings: [...ESTATE, 'findings'] as const,
  tide: [...ESTATE, 'tide'] as const,
  at: [...ESTATE, 'at'] as const, // whatever is read at a bearing
  promises: [...ESTATE, 'promises'] as const,
  session: ['session'] as const,
  feeds: ['feeds'] as const,
  runs: ['runs'] as const,
  run: (id: number) => ['run', id] as const,
  sheet: (key: string) => ['sheet', key] as const,
  forecastRuns: ['forecast-runs'] as const,
  mappings: ['mappings'] as const,
  people: ['people'] as const,
  tenants: ['tenants'] as const,
  audit: ['audit'] as const,
  tokens: ['tokens'] as const,
  sessions: ['sessions'] as const,
  siftings: ['siftings'] as const,
  changes: ['changes'] as const,
  scenarios: [...ESTATE, 'scenarios'] as const,
};

/** Where the page after this one begins; undefined after the last. */
export function cursorOf({ next }: { next?: string | null | undefined }) {
  return next ? new URL(next).searchParams.get('cursor') : undefined;
}

export function sessionQuery() {
  return queryOptions({
    queryKey: keys.session,
    queryFn: () => bodyOf(api.GET('/api/v1/session')),
  });
}

/** The pools that end first, as many as one page has. */
export function firstPoolsQuery() {
  return queryOptions({
    queryKey: [...keys.pools, 'first'],
    queryFn: () => bodyOf(api.GET('/api/v1/pools')),
    refetchInterval: REFRESH_MS,
  });
}

/** What the tide bar draws of a scope. */
export function tideQuery(scope: string, scenario: number | null = null) {
  const query = { scope, ...(scenario === null ? {} : { scenario }) };
  return queryOptions({
    queryKey: [...keys.tide, query],
    queryFn: () => bodyOf(api.GET('/api/v1/estate/tide', { params: { query } })),
    placeholderData: keepPreviousData,
    staleTime: REFRESH_MS,
    refetchInterval: REFRESH_MS,
  });
}

/** What may come next in a sift, and where it cannot be read. */
export function wordsQuery(query: { text: string; cursor: number; kind: string }) {
  return queryOptions({
    queryKey: [...keys.estate, 'words', query],
    queryFn: () => bodyOf(api.GET('/api/v1/estate/words', { params: { query } })),
    placeholderData: keepPreviousData,
    retry: false,
  });
}

export function jumpQuery(text: string, kinds = '') {
  return queryOptions({
    queryKey: [...keys.estate, 'jump', text, kinds],
    queryFn: () => bodyOf(api.GET('/api/v1/estate/jump', { params: { query: { text, kinds } } })),
    placeholderData: keepPreviousData,
  });
}

export function siftingsQuery() {
  return queryOptions({
    queryKey: keys.siftings,
    queryFn: () => bodyOf(api.GET('/api/v1/siftings')),
  });
}

export function tenantsQuery() {
  return queryOptions({
    queryKey: keys.tenants,
    queryFn: () => bodyOf(api.GET('/api/v1/tenants')),
  });
}

/** How many things of each kind this person may see. */
export function kindsQuery() {
  return queryOptions({
    queryKey: keys.kinds,
    queryFn: () => bodyOf(api.GET('/api/v1/kinds')),
    refetchInterval: REFRESH_MS,
  });
}

export function feedsQuery(scope = '') {
  return queryOptions({
    queryKey: [...keys.feeds, scope],
    queryFn: () => bodyOf(api.GET('/api/v1/feeds', { params: { query: { scope } } })),
    placeholderData: keepPreviousData,
    refetchInterval: REFRESH_MS,
  });
}
