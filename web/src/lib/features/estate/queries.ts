import { infiniteQueryOptions, keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, type operations } from '$lib/api/client';
import { keys } from '$lib/api/queries';

const REFRESH_MS = 60_000; // a revision is made once a minute at most
export type Asked = { scope?: string; at?: string; q?: 'likely' | 'bad'; window?: Window };
type Query<Name extends keyof operations> = NonNullable<operations[Name]['parameters']['query']>;
export type Window = NonNullable<Query<'estate_rows'>['window']>;
export type Way = NonNullable<Query<'estate_strata'>['way']>;
export type Height = NonNullable<Query<'estate_strata'>['height']>;
export type KindName = operations['estate_rows']['parameters']['path']['kind'];

export function strataQuery(asked: Asked, cut: { way: Way; height: Height; path: string }) {
  const query = { ...asked, ...cut };
  return queryOptions({
    queryKey: [...keys.at, 'strata', query],
    queryFn: () => bodyOf(api.GET('/api/v1/estate/strata', { params: { query } })),
    placeholderData: keepPreviousData,
    refetchInterval: REFRESH_MS,
  });
}

export function rowsQuery(
  kind: KindName,
  asked: Asked,
  wanted: { columns: string; order: string },
) {
  return infiniteQueryOptions({
    queryKey: [...keys.at, 'rows', kind, asked, wanted],
    queryFn: ({ pageParam }) =>
      bodyOf(
        api.GET('/api/v1/estate/rows/{kind}', {
          params: {
            path: { kind },
            query: { ...asked, ...wanted, ...(pageParam ? { cursor: pageParam } : {}) },
          },
        }),
      ),
    initialPageParam: '',
    getNextPageParam: (last) => last.next,
    placeholderData: keepPreviousData,
  });
}

export function facetsOfQuery(kind: KindName, asked: Asked, by: string) {
  return queryOptions({
    queryKey: [...keys.at, 'facets', kind, asked, by],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/estate/facets/{kind}', {
          params: { path: { kind }, query: { ...asked, by } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function estateKindsQuery() {
  return queryOptions({
    queryKey: [...keys.estate, 'estate-kinds'],
    queryFn: () => bodyOf(api.GET('/api/v1/estate/kinds')),
    staleTime: Infinity,
  });
}

export function selectedQuery(
  kind: KindName,
  asked: Asked,
  wanted: { columns: string; ids: number[] },
) {
  return queryOptions({
    queryKey: [...keys.at, 'selected', kind, asked, wanted],
    queryFn: () =>
      bodyOf(
        api.POST('/api/v1/estate/rows/{kind}/selected', {
          params: { path: { kind }, query: { ...asked, columns: wanted.columns } },
          body: { ids: wanted.ids },
        }),
      ),
    placeholderData: keepPreviousData,
    enabled: wanted.ids.length > 0,
  });
}

export function coastQuery(asked: Asked) {
  return queryOptions({
    queryKey: [...keys.at, 'coast', asked],
    queryFn: () => bodyOf(api.GET('/api/v1/estate/coast', { params: { query: asked } })),
    placeholderData: keepPreviousData,
  });
}
