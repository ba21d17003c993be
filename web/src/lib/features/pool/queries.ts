import { keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf } from '$lib/api/client';
import { keys } from '$lib/api/queries';

const REFRESH_MS = 15_000;

export function poolQuery(pool_id: number) {
  return queryOptions({
    queryKey: [...keys.pools, pool_id],
    queryFn: () => bodyOf(api.GET('/api/v1/pools/{pool_id}', { params: { path: { pool_id } } })),
    refetchInterval: REFRESH_MS,
  });
}

export function seriesQuery(pool_id: number, days: number) {
  return queryOptions({
    queryKey: [...keys.pools, pool_id, 'series', days],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/pools/{pool_id}/series', {
          params: { path: { pool_id }, query: { days } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function forecastQuery(pool_id: number, days: number) {
  return queryOptions({
    queryKey: [...keys.pools, pool_id, 'forecast', days],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/pools/{pool_id}/forecast', {
          params: { path: { pool_id }, query: { days } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function volumesQuery(pool_id: number) {
  return queryOptions({
    queryKey: [...keys.pools, pool_id, 'volumes'],
    queryFn: () =>
      bodyOf(api.GET('/api/v1/pools/{pool_id}/volumes', { params: { path: { pool_id } } })),
  });
}
