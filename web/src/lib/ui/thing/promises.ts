import { queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, type Schemas } from '$lib/api/client';
import { keys } from '$lib/api/queries';
import type { bearing } from '$lib/url/bearing.svelte';

export type Subject = Schemas['SubjectRead'];
type Asked = typeof bearing.asked;
const REFRESH_MS = 60_000; // verdicts are told by the minute

/** What may be promised something by itself. */
export const KINDS = ['vm', 'disk', 'volume', 'datastore'] as const;
export type SubjectKind = (typeof KINDS)[number];

/** Whose promise bears on a subject, as people say it. */
export const BY: Record<string, string> = {
  itself: 'its own',
  told: 'as a feed tells it',
  vm: 'its VM’s',
  project: 'its project’s',
  tenant: 'its tenant’s',
  class: 'its service class’s',
  estate: 'the whole estate’s',
};
export function subjectQuery(asked: Asked, id: number) {
  return queryOptions({
    queryKey: [...keys.promises, 'subject', asked, id],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/compliance/things/{entity_id}', {
          params: { path: { entity_id: id }, query: asked },
        }),
      ),
    refetchInterval: REFRESH_MS,
  });
}
