import { queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf } from '$lib/api/client';
import { keys } from '$lib/api/queries';

export function berthsQuery(entity_id: number) {
  return queryOptions({
    queryKey: [...keys.pools, entity_id, 'berths'],
    queryFn: () =>
      bodyOf(api.GET('/api/v1/berths/{entity_id}', { params: { path: { entity_id } } })),
  });
}
