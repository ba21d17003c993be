import { keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf } from '$lib/api/client';
import { keys } from '$lib/api/queries';

export function facetsQuery(scope: string) {
  return queryOptions({
    queryKey: [...keys.pools, 'facets', scope],
    queryFn: () => bodyOf(api.GET('/api/v1/facets', { params: { query: { scope } } })),
    placeholderData: keepPreviousData,
  });
}

export function changesQuery(scope: string) {
  return queryOptions({
    queryKey: [...keys.pools, 'changes', scope],
    queryFn: () => bodyOf(api.GET('/api/v1/changes', { params: { query: { scope } } })),
    placeholderData: keepPreviousData,
  });
}
