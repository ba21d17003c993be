import { queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, type Schemas } from './client';
import { keys } from './queries';

export type ScenarioBrief = Schemas['ScenarioBriefRead'];
export type MoveKind = Schemas['MoveKindRead'];
export type Ask = Schemas['AskRead'];

/** Scenarios of one's own and of the team, those changed last first. */
export function scenariosQuery() {
  return queryOptions({
    queryKey: [...keys.scenarios, 'list'],
    queryFn: () => bodyOf(api.GET('/api/v1/scenarios')),
  });
}

/** The kinds of moves with their fields. */
export function moveKindsQuery() {
  return queryOptions({
    queryKey: [...keys.scenarios, 'kinds'],
    queryFn: () => bodyOf(api.GET('/api/v1/move-kinds')),
    staleTime: Infinity,
  });
}

/** Draw up a scenario without any move. */
export function drawUp(name: string) {
  return bodyOf(
    api.POST('/api/v1/scenarios', { body: { name, note: '', is_shared: false, moves: [] } }),
  );
}
