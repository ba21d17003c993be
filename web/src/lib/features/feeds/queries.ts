import { queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, type Feed, type Run, type Schemas } from '$lib/api/client';
import { keys } from '$lib/api/queries';

const LIVE_MS = 700;
const IDLE_MS = 10_000;

export const isLive = (run: Run) => run.state === 'queued' || run.state === 'running';

/** Feeds with their live runs; asked for often while one is under way. */
export function liveFeedsQuery() {
  return queryOptions({
    queryKey: keys.feeds,
    queryFn: () => bodyOf(api.GET('/api/v1/feeds')),
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

export function findingsQuery() {
  return queryOptions({
    queryKey: keys.findings,
    queryFn: () => bodyOf(api.GET('/api/v1/findings')),
    refetchInterval: IDLE_MS,
  });
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

export function changeFeed(id: number, body: Schemas['PatchedFeedChangeRequest']) {
  return bodyOf(api.PATCH('/api/v1/feeds/{id}', { params: { path: { id } }, body }));
}

export function dropFeed(id: number) {
  return bodyOf(api.DELETE('/api/v1/feeds/{id}', { params: { path: { id } } }));
}

export function sheetQuery(key: string, kind: string | null) {
  return queryOptions({
    queryKey: ['sheet', key, kind],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/sheets/{key}', {
          params: { path: { key }, query: kind ? { kind: kind as 'pool' } : {} },
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

export function saveMapping(name: string, header: string[], mapping: TableMapping) {
  return bodyOf(api.POST('/api/v1/mappings', { body: { name, header, mapping } }));
}
