import { keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, seen, type Schemas } from '$lib/api/client';
import { keys } from '$lib/api/queries';
import { addDays, todayIso } from '$lib/format';
import { bearing } from '$lib/url/bearing.svelte';

export type Scenario = Schemas['ScenarioRead'];
export type Move = Schemas['MoveRead'];
export type MoveWrite = Schemas['MoveWriteRequest'];
export type Outcome = Schemas['OutcomeRead'];
export type Line = Schemas['OutcomeLineRead'];
export type Moved = Schemas['MovedRead'];
type Asked = typeof bearing.asked;

const at = (scenarioId: number) => ({ path: { scenario_id: scenarioId } });
const written = (scenario: Scenario) => ({ ...at(scenario.id), header: seen(scenario.version) });

export function scenarioQuery(scenarioId: number) {
  return queryOptions({
    queryKey: [...keys.scenarios, 'one', scenarioId],
    queryFn: () => bodyOf(api.GET('/api/v1/scenarios/{scenario_id}', { params: at(scenarioId) })),
  });
}

/** What it does beside the estate as it is, and beside others; nothing until it is known. */
export function outcomeQuery(scenario: Scenario | null, asked: Asked, beside: number[]) {
  const query = { ...asked, ...(beside.length ? { beside: beside.join(',') } : {}) };
  return queryOptions({
    queryKey: [...keys.scenarios, 'outcome', scenario?.id, scenario?.version, query],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/scenarios/{scenario_id}/outcome', {
          params: { ...at(scenario?.id ?? 0), query },
        }),
      ),
    placeholderData: keepPreviousData,
    enabled: scenario !== null,
  });
}

/** The least that keeps every limit until a day; nothing until it is asked for. */
export function answerQuery(
  scenario: Scenario,
  scope: string,
  asked: { until: string; group: number | null } | null,
) {
  const query = {
    until: asked?.until ?? '',
    ...(scope ? { scope } : {}),
    ...(asked?.group ? { group_bytes: asked.group } : {}),
  };
  return queryOptions({
    queryKey: [...keys.scenarios, 'answer', scenario.id, scenario.version, query],
    queryFn: ({ signal }) =>
      bodyOf(
        api.GET('/api/v1/scenarios/{scenario_id}/answer', {
          params: { ...at(scenario.id), query },
          signal,
        }),
      ),
    enabled: asked !== null,
  });
}

/** Moves as they are sent again: their fields alone. */
export function plain(moves: Move[]): MoveWrite[] {
  return moves.map(({ number, on, kind, fields, is_off, note }) => ({
    number,
    on,
    kind,
    fields,
    is_off,
    note,
  }));
}

export function setMoves(scenario: Scenario, moves: MoveWrite[], what: string) {
  return bodyOf(
    api.PUT('/api/v1/scenarios/{scenario_id}/moves', {
      params: written(scenario),
      body: { moves, what },
    }),
  );
}

/** All moves so many days later, or earlier; none before today. */
export const shifted = (moves: Move[], days: number): MoveWrite[] =>
  plain(moves).map((one) => {
    const on = addDays(one.on ?? todayIso(), days);
    return { ...one, on: on < todayIso() ? todayIso() : on };
  });

/** Take the last change back, or do again what was taken back. */
export function step(scenario: Scenario, isBack: boolean) {
  return bodyOf(
    api.POST('/api/v1/scenarios/{scenario_id}/steps', {
      params: written(scenario),
      body: { is_back: isBack },
    }),
  );
}

export function rebase(scenario: Scenario) {
  return bodyOf(api.POST('/api/v1/scenarios/{scenario_id}/rebase', { params: written(scenario) }));
}

export function settle(scenario: Scenario, body: Schemas['PatchedScenarioChangeWriteRequest']) {
  return bodyOf(api.PATCH('/api/v1/scenarios/{scenario_id}', { params: written(scenario), body }));
}

export function copyOf(scenario: Scenario, name: string) {
  return bodyOf(
    api.POST('/api/v1/scenarios/{scenario_id}/copies', {
      params: at(scenario.id),
      body: { name },
    }),
  );
}

export function say(scenarioId: number, text: string) {
  return bodyOf(
    api.POST('/api/v1/scenarios/{scenario_id}/comments', {
      params: at(scenarioId),
      body: { text },
    }),
  );
}

export type Acceptance = Schemas['AcceptanceRead'];
export type HeldPlace = Schemas['HeldPlaceRead'];

/** What accepting it would hold, or what is held for it. */
export function acceptanceQuery(scenario: Scenario) {
  return queryOptions({
    queryKey: [...keys.scenarios, 'acceptance', scenario.id, scenario.version],
    queryFn: () =>
      bodyOf(api.GET('/api/v1/scenarios/{scenario_id}/acceptance', { params: at(scenario.id) })),
    placeholderData: keepPreviousData,
  });
}

export function accept(scenario: Scenario, lapsesOn: string) {
  return bodyOf(
    api.POST('/api/v1/scenarios/{scenario_id}/acceptance', {
      params: written(scenario),
      body: { lapses_on: lapsesOn },
    }),
  );
}

/** Hold it until another day. */
export function renew(scenario: Scenario, lapsesOn: string) {
  return bodyOf(
    api.PATCH('/api/v1/scenarios/{scenario_id}/acceptance', {
      params: written(scenario),
      body: { lapses_on: lapsesOn },
    }),
  );
}

/** Hold nothing for it any more: it is a draft again. */
export function giveUp(scenario: Scenario) {
  return bodyOf(
    api.DELETE('/api/v1/scenarios/{scenario_id}/acceptance', { params: written(scenario) }),
  );
}

type DiskAsked = Schemas['DiskAskedWriteRequest'];

/** Disks that are asked for, as a move brings them. */
export const disksOfMove = (one: DiskAsked) => ({
  size_bytes: one.size_bytes,
  written_percent: one.written_percent,
  bytes_a_week: one.bytes_a_week,
  is_thick: one.is_thick,
  min_iops: one.min_iops,
  busy_iops: one.busy_iops,
});
