import { infiniteQueryOptions, keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, seen, type operations, type Schemas } from '$lib/api/client';
import { cursorOf, keys } from '$lib/api/queries';
import type { Metric } from '$lib/ui/chart/soundings/course';

const REFRESH_MS = 15_000;

/** How a thing goes on with a scenario. */
export function planQuery(scenarioId: number | null, entityId: number) {
  const path = { scenario_id: scenarioId ?? 0, entity_id: entityId };
  return queryOptions({
    queryKey: [...keys.scenarios, 'course', scenarioId, entityId],
    queryFn: () =>
      bodyOf(api.GET('/api/v1/scenarios/{scenario_id}/course/{entity_id}', { params: { path } })),
    enabled: scenarioId !== null,
  });
}

export function poolQuery(pool_id: number) {
  return queryOptions({
    queryKey: [...keys.thing(pool_id), 'books'],
    queryFn: () => bodyOf(api.GET('/api/v1/pools/{pool_id}', { params: { path: { pool_id } } })),
    refetchInterval: REFRESH_MS,
  });
}

/** What was read of a metric of anything, a day each. */
export function soundingsQuery(entity_id: number, days: number, metric: Metric = 'used') {
  return queryOptions({
    queryKey: [...keys.thing(entity_id), 'soundings', metric, days],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/soundings/{entity_id}', {
          params: { path: { entity_id }, query: { days, metric } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** The forecast with its reasons, as if the thing grew so many times as fast. */
export function forecastQuery(
  entity_id: number,
  days: number,
  growth: number,
  metric: Metric = 'used',
) {
  return queryOptions({
    queryKey: [...keys.thing(entity_id), 'forecast', metric, days, growth],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/forecasts/{entity_id}', {
          params: { path: { entity_id }, query: { days, growth, metric } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function marksQuery(entity_id: number) {
  return queryOptions({
    queryKey: [...keys.thing(entity_id), 'marks'],
    queryFn: () =>
      bodyOf(api.GET('/api/v1/marks/{entity_id}', { params: { path: { entity_id } } })),
  });
}

export function setMarks(entity_id: number, version: string, body: Schemas['MarksWriteRequest']) {
  return bodyOf(
    api.PUT('/api/v1/marks/{entity_id}', {
      params: { path: { entity_id }, header: seen(version) },
      body,
    }),
  );
}

export function contributorsQuery(entity_id: number, days: number, until: string | null) {
  return queryOptions({
    queryKey: [...keys.thing(entity_id), 'contributors', days, until],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/contributors/{entity_id}', {
          params: { path: { entity_id }, query: { days, ...(until ? { until } : {}) } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function limitsQuery(entity_id: number) {
  return queryOptions({
    queryKey: [...keys.thing(entity_id), 'limits'],
    queryFn: () =>
      bodyOf(api.GET('/api/v1/limits/{entity_id}', { params: { path: { entity_id } } })),
    refetchInterval: REFRESH_MS,
  });
}

export type VolumeOrder = NonNullable<
  NonNullable<operations['pools_volumes_list']['parameters']['query']>['order']
>;

/** Volumes of a pool in the order asked for, page by page. */
export function volumesQuery(pool_id: number, order: VolumeOrder) {
  return infiniteQueryOptions({
    queryKey: [...keys.thing(pool_id), 'volumes', order],
    queryFn: ({ pageParam }) =>
      bodyOf(
        api.GET('/api/v1/pools/{pool_id}/volumes', {
          params: {
            path: { pool_id },
            query: { order, ...(pageParam ? { cursor: pageParam } : {}) },
          },
        }),
      ),
    initialPageParam: '',
    getNextPageParam: cursorOf,
    placeholderData: keepPreviousData,
  });
}

export function berthsQuery(entity_id: number) {
  return queryOptions({
    queryKey: [...keys.thing(entity_id), 'berths'],
    queryFn: () =>
      bodyOf(api.GET('/api/v1/berths/{entity_id}', { params: { path: { entity_id } } })),
  });
}
