import { queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, type Run, type Schemas } from '$lib/api/client';
import { keys } from '$lib/api/queries';

const LIVE_MS = 700;
const IDLE_MS = 10_000;

export const isLive = (run: Run) => run.state === 'queued' || run.state === 'running';

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

export function collectNow(id: number) {
  return bodyOf(api.POST('/api/v1/feeds/{id}/collect', { params: { path: { id } } }));
}

export function changeFeed(id: number, change: Schemas['PatchedFeedWriteRequest']) {
  return bodyOf(api.PATCH('/api/v1/feeds/{id}', { params: { path: { id } }, body: change }));
}
