import { infiniteQueryOptions, keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, type Schemas } from '$lib/api/client';
import { cursorOf, keys } from '$lib/api/queries';

const REFRESH_MS = 30_000; // readings come every few minutes; a screen left open keeps up

/** Pools, what ends first at the top, page after page. */
export function poolsQuery(scope: string) {
  return infiniteQueryOptions({
    queryKey: [...keys.pools, scope],
    queryFn: ({ pageParam }) =>
      bodyOf(
        api.GET('/api/v1/pools', {
          params: { query: { scope, ...(pageParam ? { cursor: pageParam } : {}) } },
        }),
      ),
    initialPageParam: '',
    getNextPageParam: cursorOf,
    placeholderData: keepPreviousData,
    refetchInterval: REFRESH_MS,
  });
}

export type PoolThen = Schemas['RowRead'];
const THEN =
  'state,used,size,fill,promised,plannable,exposure,grown,runway,caution_mark,limit_mark,' +
  'class,array,site';
type Asked = { scope?: string; at?: string; q?: 'likely' | 'bad' };

/** Pools as they stand on another day. */
export function thatDayQuery(asked: Asked, order: string) {
  return infiniteQueryOptions({
    queryKey: [...keys.at, 'pools then', asked, order],
    queryFn: ({ pageParam }) =>
      bodyOf(
        api.GET('/api/v1/estate/rows/{kind}', {
          params: {
            path: { kind: 'pool' },
            query: {
              ...asked,
              columns: THEN,
              order,
              ...(pageParam ? { cursor: pageParam } : {}),
            },
          },
        }),
      ),
    initialPageParam: '',
    getNextPageParam: (last) => last.next,
    placeholderData: keepPreviousData,
  });
}

/** How the pools divide on another day. */
export function facetsThenQuery(asked: Asked) {
  return queryOptions({
    queryKey: [...keys.at, 'facets then', asked],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/estate/facets/{kind}', {
          params: { path: { kind: 'pool' }, query: { ...asked, by: 'site,state,class' } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

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
