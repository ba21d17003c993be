import { queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, seen, type Schemas } from '$lib/api/client';
import { keys } from '$lib/api/queries';

export type Order = Schemas['WorkOrderRead'];
export type Step = Schemas['WorkStepRead'];
const at = (scenarioId: number) => ({ path: { scenario_id: scenarioId } });
const SETTLES_MS = 20_000; // what is read lately is compared every minute
const LIVE_MS = 1_500; // what is being sent is watched

/** Whether something is at the far end, or goes there by itself any moment. */
export const isMoving = (order: Order) =>
  order.waits?.what === 'far end' ||
  (order.carrying !== null && order.waits?.what !== 'hand' && order.waits?.what !== 'day');

/** The work order of a scenario; read again while it settles. */
export function orderQuery(scenarioId: number) {
  return queryOptions({
    queryKey: [...keys.scenarios, 'order', scenarioId],
    queryFn: () =>
      bodyOf(api.GET('/api/v1/scenarios/{scenario_id}/order', { params: at(scenarioId) })),
    refetchInterval: ({ state }) => {
      if (!state.data || state.data.ended_at) return false;
      return isMoving(state.data) ? LIVE_MS : SETTLES_MS;
    },
  });
}

export function makeOrder(scenarioId: number) {
  return bodyOf(api.POST('/api/v1/scenarios/{scenario_id}/order', { params: at(scenarioId) }));
}

export function proveOrder(scenarioId: number) {
  return bodyOf(
    api.POST('/api/v1/scenarios/{scenario_id}/order/proof', { params: at(scenarioId) }),
  );
}

export async function dropOrder(scenarioId: number) {
  await bodyOf(api.DELETE('/api/v1/scenarios/{scenario_id}/order', { params: at(scenarioId) }));
}

export function tellStep(
  order: Order,
  place: number,
  body: Schemas['PatchedWorkStepWriteRequest'],
) {
  return bodyOf(
    api.PATCH('/api/v1/scenarios/{scenario_id}/order/steps/{place}', {
      params: { path: { scenario_id: order.scenario_id, place }, header: seen(order.version) },
      body,
    }),
  );
}

const seenAt = (order: Order, place: number) => ({
  path: { scenario_id: order.scenario_id, place },
  header: seen(order.version),
});

/** Has it go on by itself, each step on its day. */
export function carryOrder(order: Order) {
  const params = { ...at(order.scenario_id), header: seen(order.version) };
  return bodyOf(api.POST('/api/v1/scenarios/{scenario_id}/order/carrying', { params }));
}

export function haltOrder(order: Order) {
  const params = at(order.scenario_id);
  return bodyOf(api.DELETE('/api/v1/scenarios/{scenario_id}/order/carrying', { params }));
}

/** Has one step written at its far end now; what is lost by it is named. */
export function carryStep(order: Order, place: number, confirms: string) {
  return bodyOf(
    api.POST('/api/v1/scenarios/{scenario_id}/order/steps/{place}/change', {
      params: seenAt(order, place),
      body: { confirms },
    }),
  );
}

export function takeStepBack(order: Order, place: number, confirms: string) {
  return bodyOf(
    api.DELETE('/api/v1/scenarios/{scenario_id}/order/steps/{place}/change', {
      params: { ...seenAt(order, place), query: { confirms } },
    }),
  );
}

/** What is asked of one step, and what has to be typed before it is done. */
export interface Deed {
  step: Step;
  isBack: boolean;
  confirms: string;
}

export const deedOf = (step: Step, isBack: boolean): Deed => ({
  step,
  isBack,
  confirms: isBack
    ? step.kind === 'create volume'
      ? String(step.values['name'] ?? '')
      : ''
    : (step.carriage?.confirms ?? ''),
});

const NAMES: Record<string, string> = {
  name: 'name',
  n: 'how many',
  names: 'names',
  array: 'array',
  pool: 'pool',
  site: 'site',
  sustains: 'I/O a second it sustains',
  ports: 'front-end ports',
  cluster: 'cluster',
  datastore: 'datastore',
  volume: 'volume',
  copy: 'copy',
  allotted_to: 'out of the allotment of',
  bucket: 'bucket',
  object_tier: 'tier of it',
  to: 'to',
  size_bytes: 'size',
  was_bytes: 'was',
  thickness: 'provisioning',
  service_class: 'service class',
  disks: 'disks of each',
  cpus: 'CPUs of each',
  memory_bytes: 'memory of each',
  quota_bytes: 'quota',
  tier: 'QoS tier',
  policy: 'policy',
};
const MOST_NAMES = 6;

/** What is typed, in words: exact bytes, as whoever types them needs them. */
export function valuesOf(step: Step, bytes: (amount: number) => string): [string, string][] {
  const told = (key: string, value: unknown): string => {
    if (Array.isArray(value)) {
      const some = value.map((one) => (key === 'disks' ? exact(Number(one)) : String(one)));
      const shown = [...new Set(some)].slice(0, MOST_NAMES).join(', ');
      return some.length > MOST_NAMES && key === 'names'
        ? `${String(some[0])} to ${String(some.at(-1))}`
        : shown;
    }
    return key.endsWith('bytes') ? exact(Number(value)) : String(value);
  };
  const exact = (amount: number) => `${bytes(amount)}, ${amount.toLocaleString('en-US')} bytes`;
  return Object.keys(NAMES)
    .filter((key) => key in step.values)
    .map((key) => [NAMES[key] ?? key, told(key, step.values[key])]);
}
