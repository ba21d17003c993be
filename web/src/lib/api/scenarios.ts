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

type Ready = Pick<Schemas['MoveWriteRequest'], 'kind' | 'fields' | 'on'>;
const NEXT_WEEK_DAYS = 7;

/** Put moves in behind all others, whoever changed them meanwhile; a week from now unless dated. */
export function putMoves(scenarioId: number, moves: Ready[]) {
  const params = { path: { scenario_id: scenarioId } };
  const on = addDays(todayIso(), NEXT_WEEK_DAYS);
  const body = { moves: moves.map((one) => ({ on, is_off: false, note: '', ...one })) };
  return bodyOf(api.POST('/api/v1/scenarios/{scenario_id}/moves', { params, body }));
}
