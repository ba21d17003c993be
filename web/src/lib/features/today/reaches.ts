import type { Pool } from '$lib/api/client';

export interface Group {
  reach: Pool['reach'];
  title: string;
  pools: Pool[];
}

const TITLES: readonly [Pool['reach'], string][] = [
  ['inside_lead_time', 'Inside lead time'],
  ['within_90_days', 'Within 90 days'],
  ['later', 'Later'],
  ['no_end', 'No end in sight'],
];

/** Pools by how far they reach; groups without a pool are left out. */
export function grouped(pools: Pool[]): Group[] {
  return TITLES.map(([reach, title]) => ({
    reach,
    title,
    pools: pools.filter((pool) => pool.reach === reach),
  })).filter((group) => group.pools.length > 0);
}
