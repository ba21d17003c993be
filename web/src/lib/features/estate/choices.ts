import type { Height, KindName, Way } from './queries';

export const WAYS: { key: Way; name: string }[] = [
  { key: 'storage', name: 'site to disk' },
  { key: 'consumers', name: 'tenant to disk' },
  { key: 'hosts', name: 'cluster to disk' },
  { key: 'objects', name: 'account to tier' },
];
export const HEIGHTS: { key: Height; name: string }[] = [
  { key: 'used', name: 'used' },
  { key: 'promised', name: 'promised' },
  { key: 'exposure', name: 'exposure' },
  { key: 'grown', name: 'grown' },
];

export function oneOf<Key extends string>(
  options: { key: Key }[],
  told: string | null,
  without: Key,
): Key {
  return options.find((one) => one.key === told)?.key ?? without;
}

/** The columns that a list of a kind shows at first; the others can be chosen. */
export const FIRST_COLUMNS: Partial<Record<KindName, string[]>> = {
  site: ['state', 'used', 'size', 'fill', 'plannable', 'promised', 'grown'],
  array: ['site', 'state', 'used', 'size', 'fill', 'plannable', 'grown', 'free_ports', 'runway'],
  pool: [
    'array',
    'class',
    'state',
    'used',
    'size',
    'fill',
    'plannable',
    'overcommit',
    'grown',
    'runway',
  ],
  volume: ['pool', 'used', 'size', 'grown', 'mapped', 'io', 'thickness'],
  datastore: ['cluster', 'state', 'used', 'size', 'fill', 'promised', 'grown', 'runway'],
  vm: ['project', 'cluster', 'power', 'used', 'size', 'grown', 'snapshots', 'backup', 'policy'],
  disk: ['vm', 'datastore', 'used', 'size', 'inside', 'unshared', 'grown', 'tier'],
  file: ['datastore', 'category', 'orphan', 'size', 'changed'],
  snapshot: ['vm', 'taken', 'used'],
  drive: ['array', 'pool', 'role', 'media', 'size'],
  port: ['array', 'controller', 'protocol', 'up', 'logins', 'speed'],
  host: ['cluster', 'health', 'cpus', 'memory', 'used', 'errors'],
  cluster: ['site', 'state', 'used', 'size', 'fill', 'promised', 'grown', 'runway'],
  account: ['tenant', 'state', 'used', 'size', 'fill', 'grown'],
  bucket: ['account', 'project', 'used', 'objects', 'hot', 'warm', 'cold', 'grown'],
  tenant: ['state', 'used', 'size', 'fill', 'grown'],
  project: ['tenant', 'state', 'used', 'size', 'fill', 'grown'],
};

/** How a list of a kind is sorted at first. */
export const FIRST_ORDER: Partial<Record<KindName, string>> = {
  pool: 'runway',
  datastore: 'runway',
  array: 'runway',
  file: '-size',
  drive: 'array,name',
  port: 'array,name',
  snapshot: '-used',
};
export const ANY_ORDER = '-used';
