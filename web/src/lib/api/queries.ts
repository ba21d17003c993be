import { keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf } from './client';

const REFRESH_MS = 30_000; // readings come every few minutes; a screen left open keeps up

export const keys = {
  session: ['session'] as const,
  pools: ['pools'] as const,
  feeds: ['feeds'] as const,
  runs: ['runs'] as const,
  forecastRuns: ['forecast-runs'] as const,
  kinds: ['kinds'] as const,
  findings: ['findings'] as const,
  mappings: ['mappings'] as const,
  people: ['people'] as const,
  tenants: ['tenants'] as const,
  audit: ['audit'] as const,
  tokens: ['tokens'] as const,
};

export function sessionQuery() {
  return queryOptions({
    queryKey: keys.session,
    queryFn: () => bodyOf(api.GET('/api/v1/session')),
  });
}

export function poolsQuery(scope: string) {
  return queryOptions({
    queryKey: [...keys.pools, 'list', scope],
    queryFn: () => bodyOf(api.GET('/api/v1/pools', { params: { query: { scope } } })),
    placeholderData: keepPreviousData,
    refetchInterval: REFRESH_MS,
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

export function feedsQuery() {
  return queryOptions({
    queryKey: keys.feeds,
    queryFn: () => bodyOf(api.GET('/api/v1/feeds')),
    refetchInterval: REFRESH_MS,
  });
}
