import { keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf } from '$lib/api/client';
import { keys } from '$lib/api/queries';

export function facetsQuery(scope: string) {
  return queryOptions({
    queryKey: [...keys.scope(scope), 'facets'],
    queryFn: () => bodyOf(api.GET('/api/v1/facets', { params: { query: { scope } } })),
    placeholderData: keepPreviousData,
  });
}

export function limitsQuery(scope: string) {
  return queryOptions({
    queryKey: [...keys.scope(scope), 'limits beside space'],
    queryFn: () => bodyOf(api.GET('/api/v1/limits', { params: { query: { scope } } })),
    placeholderData: keepPreviousData,
  });
}

/** How right the forecasts of all pools have been. */
export function recordQuery() {
  return queryOptions({
    queryKey: keys.record,
    queryFn: () =>
      bodyOf(api.GET('/api/v1/forecast-record', { params: { query: { kind: 'pool' } } })),
    retry: false,
  });
}

export function changesQuery(scope: string) {
  return queryOptions({
    queryKey: [...keys.scope(scope), 'changes'],
    queryFn: () => bodyOf(api.GET('/api/v1/changes', { params: { query: { scope } } })),
    placeholderData: keepPreviousData,
  });
}
