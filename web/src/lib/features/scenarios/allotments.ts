import { queryOptions, type QueryClient } from '@tanstack/svelte-query';
import { readAnew } from '$lib/api/anew';
import { api, bodyOf, seen, type Schemas } from '$lib/api/client';
import { keys } from '$lib/api/queries';
import { parseBytes } from '$lib/format';

export type Allotment = Schemas['AllotmentRead'];
export type Drawn = Schemas['DrawnRead'];
export type Faults = Record<string, string>;
const LIVE_MS = 2_000; // while something is being made
const SETTLES_MS = 20_000;

const isMoving = (one: Drawn) =>
  one.is_leaving || one.waits_for === 'far end' || one.waits_for === 'nothing';

/** Allotments, all or one's own; read again while something of them is made. */
export function allotmentsQuery() {
  return queryOptions({
    queryKey: [...keys.scenarios, 'allotments'],
    queryFn: () => bodyOf(api.GET('/api/v1/allotments')),
    refetchInterval: ({ state }) => {
      const drawn = (state.data ?? []).flatMap((one) => one.drawn);
      if (drawn.some(isMoving)) return LIVE_MS;
      return drawn.some((one) => one.waits_for !== null) ? SETTLES_MS : false;
    },
  });
}

export const readAllotmentsAnew = (client: QueryClient) => readAnew(client, keys.scenarios);

export function allot(body: Schemas['AllotmentWriteRequest']) {
  return bodyOf(api.POST('/api/v1/allotments', { body }));
}

const at = (one: Allotment) => ({ path: { allotment_id: one.id }, header: seen(one.version) });

export function changeAllotment(one: Allotment, body: Schemas['PatchedAllotmentChangeRequest']) {
  return bodyOf(api.PATCH('/api/v1/allotments/{allotment_id}', { params: at(one), body }));
}

export async function endAllotment(one: Allotment) {
  await bodyOf(api.DELETE('/api/v1/allotments/{allotment_id}', { params: at(one) }));
}

export function provision(one: Allotment, key: string, body: Schemas['DrawWriteRequest']) {
  const params = { path: { allotment_id: one.id }, header: { 'Idempotency-Key': key } };
  return bodyOf(api.POST('/api/v1/allotments/{allotment_id}/volumes', { params, body }));
}

const of = (one: Allotment, drawn: Drawn) => ({ allotment_id: one.id, drawn_id: drawn.id });

export function goOn(one: Allotment, drawn: Drawn) {
  const params = { path: of(one, drawn) };
  return bodyOf(api.POST('/api/v1/allotments/{allotment_id}/volumes/{drawn_id}', { params }));
}

export function giveBack(one: Allotment, drawn: Drawn, confirms: string) {
  const params = { path: of(one, drawn), query: { confirms } };
  return bodyOf(api.DELETE('/api/v1/allotments/{allotment_id}/volumes/{drawn_id}', { params }));
}

/** An amount of bytes as typed, or what is wrong with it. */
export function bytesTyped(text: string): { bytes: number | null; fault: string } {
  const bytes = parseBytes(text);
  return bytes === null || bytes <= 0
    ? { bytes: null, fault: 'A number and a unit, such as 20 TiB.' }
    : { bytes, fault: '' };
}

/** How a volume of an allotment stands, in a few words. */
export function standOf(one: Drawn): string {
  if (one.is_leaving) return 'is given back';
  if (one.stopped && !one.is_made) return 'stopped';
  if (one.is_made) return 'made';
  if (one.is_read) return 'volume is there';
  return one.is_planned && one.steps.length === 0 ? 'planned' : 'being made';
}
