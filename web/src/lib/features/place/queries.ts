import { queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, type Schemas } from '$lib/api/client';
import { keys } from '$lib/api/queries';

export type Workload = Schemas['WorkloadWriteRequest'];
export type Candidate = Schemas['CandidateRead'];

export function placementQuery(workload: Workload | null) {
  return queryOptions({
    queryKey: [...keys.placement, workload],
    queryFn: () => bodyOf(api.POST('/api/v1/placements', { body: workload as Workload })),
    enabled: workload !== null,
  });
}

export function classesQuery() {
  return queryOptions({
    queryKey: [...keys.scope(''), 'facets'],
    queryFn: () => bodyOf(api.GET('/api/v1/facets')),
  });
}
