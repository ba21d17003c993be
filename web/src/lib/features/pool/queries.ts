import { keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, type Schemas } from '$lib/api/client';
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

/** The forecast with its reasons, as if the pool grew so many times as fast. */
export function forecastQuery(entity_id: number, days: number, growth: number) {
  return queryOptions({
    queryKey: [...keys.pools, entity_id, 'forecast', days, growth],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/forecasts/{entity_id}', {
          params: { path: { entity_id }, query: { days, growth } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function marksQuery(entity_id: number) {
  return queryOptions({
    queryKey: [...keys.pools, entity_id, 'marks'],
    queryFn: () =>
      bodyOf(api.GET('/api/v1/marks/{entity_id}', { params: { path: { entity_id } } })),
  });
}

export function setMarks(entity_id: number, body: Schemas['MarksWriteRequest']) {
  return bodyOf(api.PUT('/api/v1/marks/{entity_id}', { params: { path: { entity_id } }, body }));
}

export function contributorsQuery(entity_id: number, days: number) {
  return queryOptions({
    queryKey: [...keys.pools, entity_id, 'contributors', days],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/contributors/{entity_id}', {
          params: { path: { entity_id }, query: { days } },
        }),
      ),
  });
}

export function limitsQuery(entity_id: number) {
  return queryOptions({
    queryKey: [...keys.pools, entity_id, 'limits'],
    queryFn: () =>
      bodyOf(api.GET('/api/v1/limits/{entity_id}', { params: { path: { entity_id } } })),
    refetchInterval: REFRESH_MS,
  });
}

export function volumesQuery(pool_id: number) {
  return queryOptions({
    queryKey: [...keys.pools, pool_id, 'volumes'],
    queryFn: () =>
      bodyOf(api.GET('/api/v1/pools/{pool_id}/volumes', { params: { path: { pool_id } } })),
  });
}
