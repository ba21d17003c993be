import { keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, type operations } from '$lib/api/client';
import { keys } from '$lib/api/queries';

type Query = NonNullable<operations['estate_thing']['parameters']['query']>;
type Asked = Pick<Query, 'at' | 'q' | 'window'> & { scope?: string };

/** What is known of a thing at a bearing; what narrows the rest does not narrow it. */
export function thingQuery(entity_id: number, { at, q, window }: Asked) {
  const query = { ...(at ? { at } : {}), ...(q ? { q } : {}), ...(window ? { window } : {}) };
  return queryOptions({
    queryKey: [...keys.at, 'thing', entity_id, query],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/estate/things/{entity_id}', { params: { path: { entity_id }, query } }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** What is told of a thing by its kind, as it stands now. */
export function detailsQuery(entity_id: number) {
  return queryOptions({
    queryKey: [...keys.thing(entity_id), 'details'],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/estate/things/{entity_id}/details', { params: { path: { entity_id } } }),
      ),
  });
}
