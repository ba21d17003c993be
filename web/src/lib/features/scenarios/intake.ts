import { queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, type Schemas } from '$lib/api/client';
import { keys } from '$lib/api/queries';
import { todayIso } from '$lib/format';
import { goesTo, type Ground, type Workload } from './placements';
import { disksOfMove, type MoveWrite } from './queries';

export type Intake = Schemas['IntakeRead'];
export type Draft = Intake['workloads'][number];
export type Together = Schemas['PlacedTogetherRead'];
export type PlacedOne = Together['results'][number];
export type MoreOf = Schemas['MoreOfRead'];

/** Workloads in a table or an OVF descriptor. */
export function intakeQuery(file: string, text: string) {
  return queryOptions({
    queryKey: [...keys.placement, 'intake', file, text],
    queryFn: () => bodyOf(api.POST('/api/v1/placements/intake', { body: { file, text } })),
    enabled: text.trim() !== '',
  });
}

export const workloadsOf = (drafts: Draft[], until: string): Workload[] =>
  drafts.map((one) => ({ ...one, last_until_on: until }) as Workload);

export function togetherQuery(workloads: Workload[], { scope, scenario }: Ground) {
  const query = { ...(scope ? { scope } : {}), ...(scenario ? { scenario } : {}) };
  return queryOptions({
    queryKey: [...keys.placement, 'together', workloads, query],
    queryFn: () =>
      bodyOf(api.POST('/api/v1/placements/together', { params: { query }, body: { workloads } })),
    enabled: workloads.length > 0,
  });
}

/** What more of a VM would ask for. */
export function moreOf(vm: number) {
  return bodyOf(api.GET('/api/v1/placements/more-of', { params: { query: { vm } } }));
}

/** A move for each share of each workload that finds a place. */
export function movesOf(drafts: Draft[], told: Together, tenants: Map<string, number>) {
  return told.results.flatMap((one, at): MoveWrite[] => {
    const draft = drafts[at];
    if (!draft) return [];
    const tenant = tenants.get(draft.tenant ?? '');
    return one.spread.map((share, part) => ({
      on: todayIso(),
      kind: 'place',
      fields: {
        name: one.spread.length > 1 ? `${draft.name}-${part + 1}` : draft.name,
        n_vms: share.n_vms,
        disks: draft.disks.map(disksOfMove),
        ...goesTo(share),
        ...(tenant === undefined ? {} : { tenant }),
        ...(draft.n_cpus ? { n_cpus: draft.n_cpus } : {}),
        ...(draft.memory_bytes ? { memory_bytes: draft.memory_bytes } : {}),
      },
      is_off: false,
      note: '',
    }));
  });
}
