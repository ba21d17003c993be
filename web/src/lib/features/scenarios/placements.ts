import { queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, type Schemas } from '$lib/api/client';
import { keys } from '$lib/api/queries';
import { addDays, formatCount, formatDay, preferences, todayIso } from '$lib/format';
import { money } from './prices';
import type { Move, MoveWrite } from './queries';

export type Workload = Schemas['WorkloadWriteRequest'];
export type Weights = Schemas['WeightsWriteRequest'];
export type Placement = Schemas['PlacementRead'];
export type Candidate = Schemas['CandidateRead'];
export type Margin = Schemas['MarginRead'];
export type Check = Margin['check'];

export interface Ground {
  scope?: string;
  scenario?: number;
  without?: number;
}

export const CHECK_NAMES: Record<Check, string> = {
  read: 'read',
  class: 'class',
  site: 'site',
  cluster: 'cluster',
  policy: 'policy',
  space: 'pool space',
  datastore: 'datastore',
  overcommit: 'to promise',
  exposure: 'to be missing',
  allotment: 'allotment',
  'allotted IOPS': 'allotted IOPS',
  minimums: 'min IOPS',
  iops: 'busy IOPS',
  throughput: 'throughput',
  ports: 'ports',
  cpus: 'CPUs',
  memory: 'memory',
  quota: 'quota',
};

export function placementQuery(workload: Workload | null, ground: Ground) {
  return queryOptions({
    queryKey: [...keys.placement, workload, ground],
    queryFn: () =>
      bodyOf(
        api.POST('/api/v1/placements', {
          params: { query: ground },
          body: workload as Workload,
        }),
      ),
    enabled: workload !== null,
  });
}

export function classesQuery() {
  return queryOptions({
    queryKey: [...keys.scope(''), 'facets'],
    queryFn: () => bodyOf(api.GET('/api/v1/facets')),
  });
}

/** The clusters there are, by name. */
export function clustersQuery() {
  return queryOptions({
    queryKey: [...keys.scope(''), 'clusters'],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/estate/rows/{kind}', {
          params: { path: { kind: 'cluster' }, query: { columns: 'name' } },
        }),
      ),
  });
}

type Ask = { scope?: string; scenario?: number; at?: string; q?: 'likely' | 'bad' };

/** What moves would do that are kept nowhere. */
export function trialQuery(moves: MoveWrite[], asked: Ask) {
  return queryOptions({
    queryKey: [...keys.placement, 'outcome', moves, asked],
    queryFn: () =>
      bodyOf(api.POST('/api/v1/placements/outcome', { params: { query: asked }, body: { moves } })),
  });
}

/** A margin in its unit. */
export function amountOf(margin: Margin): string {
  if (margin.n_missed) return `${margin.n_missed} broken`;
  if (margin.amount === null && !margin.is_cleared)
    return margin.check === 'allotment' ? 'none here' : 'not known';
  if (margin.amount === null) return '';
  const sign = margin.amount < 0 ? '−' : '';
  const size = Math.abs(margin.amount);
  if (margin.unit === 'bytes') return preferences.bytes(margin.amount);
  if (margin.unit === 'bytes_per_second') return `${preferences.bytes(margin.amount)}/s`;
  return `${sign}${formatCount(Math.round(size))}`;
}

const MOST_COLUMNS = 7;

/** The tests that tell places apart, those that reject somebody first, with their scales. */
export function columnsOf(checks: Check[], shown: Candidate[]) {
  const marginsOf = (check: Check) =>
    shown.flatMap((one) => one.margins.filter((margin) => margin.check === check));
  const asked = checks.filter(
    (check) => check !== 'read' && marginsOf(check).some((margin) => margin.is_asked),
  );
  const misses = (check: Check) => marginsOf(check).some((margin) => !margin.is_cleared);
  const kept = [...asked].sort((a, b) => Number(misses(b)) - Number(misses(a)));
  const first = new Set(kept.slice(0, MOST_COLUMNS));
  return asked
    .filter((check) => first.has(check))
    .map((check) => ({
      check,
      scale: Math.max(1, ...marginsOf(check).map((margin) => Math.abs(margin.amount ?? 0))),
    }));
}

/** What a place would have left. */
export function leavesOf(one: Candidate): string {
  const runway =
    one.early_days === null ? 'no end in sight' : `${Math.round(one.early_days)} d, bad case`;
  const space = one.space_percent === null ? '' : `${Math.round(one.space_percent)} % space`;
  const iops = one.iops_percent === null ? '' : `${Math.round(one.iops_percent)} % IOPS`;
  return `leaves ${[runway, space, iops].filter(Boolean).join(' · ')}`;
}

/** What it would have left and cost, by which it is ranked. */
export function reasonOf(one: Candidate, currency: string): string {
  const cost = one.cost_a_month;
  return `${leavesOf(one)}${cost === null ? '' : ` · costs ${money(cost, currency)} a month`}`;
}

/** By what a place is missed. */
export function missesOf(one: Candidate): string {
  return one.margins
    .filter((margin) => !margin.is_cleared)
    .map((margin) =>
      margin.check === 'read'
        ? 'not judged: readings too old or too few'
        : `${CHECK_NAMES[margin.check]} ${amountOf(margin)}`.trim(),
    )
    .join(', ');
}

/** What a place needs first: its datastore extended, on the day on which work comes. */
export function extensionFor(one: Candidate, on: string): MoveWrite[] {
  if (!one.datastore || one.extends_bytes === 0) return [];
  return [
    {
      on,
      kind: 'extend_datastore',
      fields: { datastore: one.datastore.id, added_bytes: one.extends_bytes },
      is_off: false,
      note: '',
    },
  ];
}

/** The moves without the extension that stands right before a work for the place it leaves. */
export function movesWithout(moves: Move[], work: Move): Move[] {
  const to = (one: Move, name = 'to') => (one.fields as Record<string, unknown>)[name];
  const before = moves[moves.findIndex((one) => one.number === work.number) - 1];
  const isForIt =
    before?.kind === 'extend_datastore' &&
    before.on === work.on &&
    to(before, 'datastore') === to(work) &&
    !moves.some((one) => one.number !== work.number && to(one) === to(work));
  return isForIt ? moves.filter((one) => one !== before) : moves;
}

/** Where work lies: a datastore that there is, or a pool beside a cluster for a new one. */
export type Place = Pick<Candidate, 'pool' | 'cluster' | 'datastore'>;

/** Where work goes, as fields of its move. */
export interface Going {
  to: number; // a datastore, or a pool for a new one
  cluster: number | null; // who runs it; null: whose datastore it is
}

export const goesTo = (one: Place): Going => ({
  to: one.datastore?.id ?? one.pool.id,
  cluster: one.cluster?.id ?? null,
});

/** Whether work that goes somewhere is on this place. */
export const isThere = (going: Going, one: Place): boolean =>
  going.to === goesTo(one).to && (going.cluster ?? goesTo(one).cluster) === goesTo(one).cluster;

export function nameOf(one: Place): string {
  return one.datastore ? one.datastore.name : one.pool.name;
}

const YEAR_DAYS = 365;

/** The workload that a move brings, to be placed for a year or as long as is looked at. */
export function workloadOfMove(move: Move, until: string | null): Workload | null {
  if (move.kind !== 'place') return null;
  const fields = move.fields as Record<string, unknown>;
  const tenant = move.things.find((one) => one.kind === 'tenant');
  const last = until && until > move.on ? until : addDays(move.on, YEAR_DAYS);
  return {
    name: String(fields.name),
    n_vms: Number(fields.n_vms),
    disks: (fields.disks as Workload['disks']).map((one) => ({
      size_bytes: one.size_bytes,
      written_percent: one.written_percent,
      bytes_a_week: one.bytes_a_week,
      is_thick: one.is_thick,
      min_iops: one.min_iops ?? 0,
      busy_iops: one.busy_iops ?? 0,
      busy_bytes_per_second: 0,
    })),
    n_cpus: Number(fields.n_cpus ?? 0),
    memory_bytes: Number(fields.memory_bytes ?? 0),
    first_on: move.on < todayIso() ? todayIso() : move.on,
    last_until_on: last,
    service_class: '',
    policy_id: null,
    tenant: tenant?.name ?? '',
    sites: [],
    clusters: [],
    apart: 'anyhow',
    n_ports: 0,
    is_from_allotment: !!fields.out_of,
    most_exposure_bytes: null,
    n_host_losses: 1,
  };
}

export const endOf = (dates: Candidate['after']) =>
  dates.likely_on ? formatDay(dates.likely_on) : dates.early_on ? 'beyond 2 y' : 'no end in sight';
