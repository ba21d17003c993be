import { addDays, formatBytes, parseBytes, todayIso } from '$lib/format';
import type { MoreOf } from './intake';
import { disksOf, type DiskText } from './moves';
import type { Workload } from './placements';

const YEAR_DAYS = 365;
const MOST_LOSSES = 64;

/** What the form holds: texts as typed, so that nothing typed is lost. */
export interface Form {
  name: string;
  count: string;
  disks: DiskText[];
  cpus: string;
  memory: string;
  from: string; // nothing: tomorrow
  until: string;
  site: string;
  cluster: string;
  apart: string;
  serviceClass: string;
  policy: string;
  tenant: string;
  fromAllotment: string; // 'yes', or nothing
  exposure: string;
  losses: string; // hosts
  runway: string;
  balance: string;
  performance: string;
  cost: string;
}

export type Faults = Partial<Record<keyof Form, string>>;
/** How its VMs may lie to each other. */
export const APART: Record<Workload['apart'], string> = {
  anyhow: 'anyhow',
  together: 'at one place',
  pool: 'no two on a pool',
  array: 'no two on an array',
  site: 'no two at a site',
};
/** Where no two may lie together, a place is asked for one. */
export const isKeptApart = (apart: string) => ['pool', 'array', 'site'].includes(apart);
export const WEIGHTS = ['runway', 'balance', 'performance', 'cost'] as const;

/** The form as the URL has it, with defaults for what it has not. */
export function formOf(params: URLSearchParams): Form {
  const told = (name: keyof Form, fallback: string) => params.get(name) ?? fallback;
  return {
    name: told('name', 'sonar-ingest'),
    count: told('count', '24'),
    disks: disksIn(told('disks', '1.2 TiB,30,9 GiB,thin')),
    cpus: told('cpus', '8'),
    memory: told('memory', '32 GiB'),
    from: told('from', ''),
    until: told('until', addDays(todayIso(), YEAR_DAYS)),
    site: told('site', ''),
    cluster: told('cluster', ''),
    apart: told('apart', 'anyhow'),
    serviceClass: told('serviceClass', ''),
    policy: told('policy', ''),
    tenant: told('tenant', ''),
    fromAllotment: told('fromAllotment', ''),
    exposure: told('exposure', ''),
    losses: told('losses', '1'),
    runway: told('runway', '2'),
    balance: told('balance', '2'),
    performance: told('performance', '2'),
    cost: told('cost', '2'),
  };
}

/** Disks as the URL has them: “1.2 TiB,30,9 GiB,thin,50,380” each, semicolons between. */
function disksIn(text: string): DiskText[] {
  return text.split(';').map((one) => {
    const [size = '', written = '', growth = '', thickness = '', least = '', busy = ''] =
      one.split(',');
    return { size, written, growth, isThick: thickness === 'thick', least, busy };
  });
}

export function disksText(disks: DiskText[]): string {
  return disks
    .map((one) =>
      [one.size, one.written, one.growth, one.isThick ? 'thick' : 'thin', one.least, one.busy]
        .map((part) => part.replaceAll(/[,;]/g, ''))
        .join(','),
    )
    .join(';');
}

/** Disks as they were learnt, as they are typed. */
export function learntDisks(disks: MoreOf['disks']): DiskText[] {
  return disks.map((one) => ({
    size: bytesTyped(one.size_bytes),
    written: String(one.written_percent),
    growth: bytesTyped(one.bytes_a_week),
    isThick: false,
    least: one.min_iops ? String(one.min_iops) : '',
    busy: one.busy_iops ? String(one.busy_iops) : '',
  }));
}

/** An amount as it is typed: rounded to what is shown, exact where that says the same. */
function bytesTyped(bytes: number): string {
  return formatBytes(bytes, { system: 'iec' });
}

function wholeOf(text: string): number | null {
  const told = Number(text);
  return text.trim() !== '' && Number.isInteger(told) && told >= 0 ? told : null;
}

/** The workload that a form asks for, or what is wrong with which field. */
export function workloadOf(form: Form): { workload: Workload | null; faults: Faults } {
  const faults: Faults = {};
  const count = wholeOf(form.count);
  if (!count) faults.count = 'A whole number from 1 on.';
  const disks = disksOf(form.disks);
  if (!Array.isArray(disks)) faults.disks = disks.fault;
  const cpus = form.cpus.trim() === '' ? 0 : wholeOf(form.cpus);
  if (cpus === null) faults.cpus = 'A whole number, or nothing.';
  const memory = form.memory.trim() === '' ? 0 : parseBytes(form.memory);
  if (memory === null) faults.memory = 'A number and a unit, such as 32 GiB.';
  const missing = form.exposure.trim() === '' ? null : parseBytes(form.exposure);
  if (form.exposure.trim() !== '' && missing === null)
    faults.exposure = 'A number and a unit, such as 20 TiB, or nothing.';
  if (!/^\d{4}-\d{2}-\d{2}$/.test(form.until) || form.until <= todayIso())
    faults.until = 'A date after today.';
  if (form.from !== '' && (form.from < todayIso() || form.from > form.until))
    faults.from = 'A date from today on, by the last one.';
  const losses = wholeOf(form.losses);
  if (losses === null || losses > MOST_LOSSES) faults.losses = `0 to ${MOST_LOSSES}.`;
  const weights = Object.fromEntries(
    WEIGHTS.map((name) => [name, wholeOf(form[name]) ?? 1]),
  ) as Record<(typeof WEIGHTS)[number], number>;
  if (WEIGHTS.every((name) => weights[name] === 0)) faults.runway = 'One of them above nothing.';
  if (Object.keys(faults).length > 0 || !count || !Array.isArray(disks))
    return { workload: null, faults };
  const asked = disks as unknown as Workload['disks'];
  return {
    workload: {
      name: form.name.trim() || 'workload',
      n_vms: count,
      disks: asked.map((one) => ({ ...one, busy_bytes_per_second: 0 })),
      n_cpus: cpus ?? 0,
      memory_bytes: memory ?? 0,
      ...(form.from ? { first_on: form.from } : {}),
      last_until_on: form.until,
      service_class: form.serviceClass,
      policy_id: wholeOf(form.policy),
      tenant: form.tenant,
      sites: form.site ? [form.site] : [],
      clusters: form.cluster ? [form.cluster] : [],
      apart: form.apart in APART ? (form.apart as Workload['apart']) : 'anyhow',
      n_ports: 0,
      is_from_allotment: form.tenant !== '' && form.fromAllotment === 'yes',
      most_exposure_bytes: missing,
      n_host_losses: losses ?? 1,
      weights,
    },
    faults,
  };
}
