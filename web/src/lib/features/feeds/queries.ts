import { infiniteQueryOptions, keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import {
  api,
  bodyOf,
  seen,
  type Feed,
  type Finding,
  type Run,
  type Schemas,
} from '$lib/api/client';
import { cursorOf, feedsQuery, keys } from '$lib/api/queries';

const LIVE_MS = 700;
const IDLE_MS = 10_000;

export const isLive = (run: Run) => run.state === 'queued' || run.state === 'running';

/** Feeds with their live runs; asked for often while one is under way. */
export function liveFeedsQuery(scope: string) {
  return queryOptions({
    ...feedsQuery(scope),
    refetchInterval: (query) =>
      query.state.data?.some((feed: Feed) => feed.live_run) ? LIVE_MS : IDLE_MS,
  });
}

/** Runs, newest first; asked for often while one is under way. */
export function runsQuery(feedId: number | null) {
  return queryOptions({
    queryKey: [...keys.runs, feedId],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/runs', { params: { query: feedId === null ? {} : { feed_id: feedId } } }),
      ),
    refetchInterval: (query) => (query.state.data?.results.some(isLive) ? LIVE_MS : IDLE_MS),
  });
}

/** The newest run that made forecasts; asked for often while it goes on. */
export function forecastRunsQuery() {
  return queryOptions({
    queryKey: keys.forecastRuns,
    queryFn: () => bodyOf(api.GET('/api/v1/forecast-runs')),
    refetchInterval: (query) =>
      query.state.data?.results[0]?.state === 'running' ? LIVE_MS : IDLE_MS,
  });
}

export interface FindingsWanted {
  kind?: string;
  text?: string;
  scope?: string;
}

const asQuery = ({ kind, text, scope }: FindingsWanted) => ({
  ...(kind ? { kind: kind as Finding['kind'] } : {}),
  ...(text ? { text } : {}),
  ...(scope ? { scope } : {}),
});

/** Findings a page at a time, narrowed by the server. */
export function findingsQuery(wanted: FindingsWanted) {
  return infiniteQueryOptions({
    queryKey: [...keys.findings, 'list', wanted],
    queryFn: ({ pageParam }) =>
      bodyOf(
        api.GET('/api/v1/findings', {
          params: { query: { ...asQuery(wanted), ...(pageParam ? { cursor: pageParam } : {}) } },
        }),
      ),
    initialPageParam: '',
    getNextPageParam: cursorOf,
    refetchInterval: IDLE_MS,
    placeholderData: keepPreviousData,
  });
}

/** How many there are of each kind, over all pages. */
export function findingCountsQuery(wanted: FindingsWanted = {}) {
  return queryOptions({
    queryKey: [...keys.findings, 'counts', wanted],
    queryFn: () =>
      bodyOf(api.GET('/api/v1/findings/counts', { params: { query: asQuery(wanted) } })),
    refetchInterval: IDLE_MS,
    placeholderData: keepPreviousData,
  });
}

/** The address of exactly what is shown, as CSV. */
export function findingsHref(wanted: FindingsWanted): string {
  return `/api/v1/findings/export?${new URLSearchParams(asQuery(wanted))}`;
}

export function collectNow(id: number) {
  return bodyOf(api.POST('/api/v1/feeds/{id}/collect', { params: { path: { id } } }));
}

export function tryFeed(id: number) {
  return bodyOf(api.POST('/api/v1/feeds/{id}/trial', { params: { path: { id } } }));
}

export function addFeed(body: Schemas['FeedWriteRequest']) {
  return bodyOf(api.POST('/api/v1/feeds', { body }));
}

export function changeFeed(id: number, version: string, body: Schemas['PatchedFeedChangeRequest']) {
  return bodyOf(
    api.PATCH('/api/v1/feeds/{id}', { params: { path: { id }, header: seen(version) }, body }),
  );
}

export function dropFeed(id: number, version: string) {
  return bodyOf(
    api.DELETE('/api/v1/feeds/{id}', { params: { path: { id }, header: seen(version) } }),
  );
}

export function sheetQuery(key: string, kind: string | null, ofKind: string | null) {
  return queryOptions({
    queryKey: [...keys.sheet(key), kind, ofKind],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/sheets/{key}', {
          params: {
            path: { key },
            query: {
              ...(kind ? { kind: kind as 'pool' } : {}),
              ...(ofKind ? { of_kind: ofKind as 'pool' } : {}),
            },
          },
        }),
      ),
    staleTime: Infinity,
  });
}

/** Send a file; the typed client has no way to say multipart. */
export async function sendSheet(file: File): Promise<Schemas['SheetRead']> {
  const body = new FormData();
  body.append('file', file);
  return bodyOf(
    api.POST('/api/v1/sheets', {
      body: body as unknown as Schemas['SheetRead'] & { file: string },
      bodySerializer: (form: unknown) => form as FormData,
    }),
  );
}

export type TableMapping = Schemas['MappingFieldRequest'];

export function checkSheet(key: string, body: TableMapping) {
  return bodyOf(api.POST('/api/v1/sheets/{key}/check', { params: { path: { key } }, body }));
}

export function importSheet(key: string, mapping: TableMapping, skipsBad: boolean) {
  return bodyOf(
    api.POST('/api/v1/sheets/{key}/import', {
      params: { path: { key } },
      body: { mapping, skips_bad: skipsBad },
    }),
  );
}

/** Keep a mapping; one of that name is replaced only on the version that was seen. */
export function saveMapping(
  name: string,
  header: string[],
  mapping: TableMapping,
  version = 'new',
) {
  return bodyOf(
    api.POST('/api/v1/mappings', {
      params: { header: seen(version) },
      body: { name, header, mapping },
    }),
  );
}
