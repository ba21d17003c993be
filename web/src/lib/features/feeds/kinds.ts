import { counted } from '$lib/format/kinds';

/** The columns of the coverage, from what stores to who consumes; the rest is told together. */
export const COLUMNS = [
  { kind: 'array', name: 'arrays' },
  { kind: 'pool', name: 'pools' },
  { kind: 'volume', name: 'volumes' },
  { kind: 'drive', name: 'drives' },
  { kind: 'host', name: 'hosts' },
  { kind: 'datastore', name: 'stores' },
  { kind: 'vm', name: 'VMs' },
  { kind: 'disk', name: 'disks' },
  { kind: 'file', name: 'files' },
  { kind: 'bucket', name: 'buckets' },
] as const;

const SHOWN = new Set<string>(COLUMNS.map((column) => column.kind));

/** Counts in the order of the columns, the last one of all other kinds. */
export function inColumns(covers: Record<string, number>): (number | null)[] {
  const others = Object.entries(covers)
    .filter(([kind]) => !SHOWN.has(kind))
    .reduce((sum, [, n]) => sum + n, 0);
  return [...COLUMNS.map(({ kind }) => covers[kind] ?? null), others || null];
}

/** “4 ports, 2 shelves”: the kinds behind the last column. */
export function othersOf(covers: Record<string, number>): string {
  return Object.entries(covers)
    .filter(([kind]) => !SHOWN.has(kind))
    .map(([kind, n]) => counted(kind, n))
    .join(', ');
}

export const PROTOCOLS: Record<string, string> = {
  redfish: 'Redfish',
  libvirt: 'libvirt',
  openmetrics: 'OpenMetrics',
  s3: 'S3',
  file: 'estate files',
  push: 'pushed documents',
  table: 'tables',
};
