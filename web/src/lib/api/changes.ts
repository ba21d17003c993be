import { queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, type Schemas } from './client';
import { keys } from './queries';

export type ChangeSet = Schemas['ChangeSetRead'];
export type Change = Schemas['FarChangeRead'];
export type ChangeState = Change['state'];
export type WantedChange = Schemas['FarChangeWriteRequest'];
const LIVE_MS = 1_500; // what is being sent is watched
const QUIET_MS = 30_000;

/** In the order in which they are told: what asks for something first. */
export const CHANGE_STATES: ChangeState[] = [
  'planned',
  'otherwise',
  'failed',
  'under way',
  'sending',
  'queued',
  'set',
  'dropped',
];
export const isLive = (state: string) =>
  state === 'queued' || state === 'sending' || state === 'under way';
export const isAnyLive = (sets: ChangeSet[]) =>
  sets.some((one) => one.changes.some((change) => isLive(change.state)));

/** Limits of volumes that were asked for lately, the newest first. */
export function changeSetsQuery() {
  return queryOptions({
    queryKey: keys.changes,
    queryFn: async () =>
      (await bodyOf(api.GET('/api/v1/change-sets', { params: { query: { what: 'limits' } } })))
        .results,
    refetchInterval: ({ state }) => (isAnyLive(state.data ?? []) ? LIVE_MS : QUIET_MS),
  });
}

/** Asks for changes under a key of its own: sent again, it asks for nothing twice. */
export function askChanges(
  key: string,
  wanted: { changes: WantedChange[]; why: string; is_released: boolean },
) {
  return bodyOf(
    api.POST('/api/v1/change-sets', {
      params: { header: { 'Idempotency-Key': key } },
      body: { what: 'limits', ...wanted },
    }),
  );
}

export type ChangeAct = 'release' | 'drop' | 'retry' | 'take back';

export function actOnChanges(id: number, act: ChangeAct) {
  const path = { id };
  if (act === 'release')
    return bodyOf(api.POST('/api/v1/change-sets/{id}/release', { params: { path } }));
  if (act === 'drop')
    return bodyOf(api.POST('/api/v1/change-sets/{id}/drop', { params: { path } }));
  if (act === 'retry')
    return bodyOf(api.POST('/api/v1/change-sets/{id}/retry', { params: { path } }));
  const header = { 'Idempotency-Key': crypto.randomUUID() };
  return bodyOf(api.POST('/api/v1/change-sets/{id}/take-back', { params: { path, header } }));
}
