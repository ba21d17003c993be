import { queryOptions, type QueryClient } from '@tanstack/svelte-query';
import { addDays, todayIso } from '$lib/format';
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

/** Their names alone, for whoever offers them. */
export function scenarioNamesQuery() {
  return queryOptions({
    queryKey: [...keys.scenarios, 'names'],
    queryFn: () => bodyOf(api.GET('/api/v1/scenarios/names')),
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

/** What accepted scenarios hold, of one thing or of what it is added up from. */
export function reservationsQuery(of: number) {
  return queryOptions({
    queryKey: [...keys.scenarios, 'reservations', of],
    queryFn: () => bodyOf(api.GET('/api/v1/reservations', { params: { query: { of } } })),
  });
}

/** Draw up a scenario without any move; the lists of scenarios are read anew. */
export async function drawUp(client: QueryClient, name: string) {
  const body = { name, note: '', is_shared: false, moves: [] };
  const made = await bodyOf(api.POST('/api/v1/scenarios', { body }));
  await client.invalidateQueries({ queryKey: scenariosQuery().queryKey });
  await client.invalidateQueries({ queryKey: scenarioNamesQuery().queryKey });
  return made;
}

/** Put a move in behind all others, whoever changed them meanwhile. */
export function putIn(scenarioId: number, move: Schemas['MoveWriteRequest']) {
  const params = { path: { scenario_id: scenarioId } };
  return bodyOf(api.POST('/api/v1/scenarios/{scenario_id}/moves', { params, body: move }));
}

type Ready = Pick<Schemas['MoveWriteRequest'], 'kind' | 'fields'>;
const NEXT_WEEK_DAYS = 7;

/** Put ready moves in, a week from now; the scenario as it is with the last of them. */
export async function putMoves(scenarioId: number, moves: Ready[]) {
  let made;
  for (const move of moves)
    made = await putIn(scenarioId, {
      ...move,
      on: addDays(todayIso(), NEXT_WEEK_DAYS),
      is_off: false,
      note: '',
    });
  return made;
}
