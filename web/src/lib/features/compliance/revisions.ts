import { formatBytes, formatCount } from '$lib/format';
import type { Revision } from './queries';
import type { TierRevision } from './tiers';

/** One revision as it stands beside others: what it said, line by line. */
export interface Kept {
  number: number;
  made_at: string;
  author: string;
  note: string;
  told: Map<string, string>;
}

export function keptOfPolicy(one: Revision, abouts: Map<string, string>): Kept {
  const told = new Map(
    [...one.rules]
      .sort((a, b) => a.kind.localeCompare(b.kind))
      .map((rule) => [abouts.get(rule.kind) ?? rule.kind, rule.wants]),
  );
  told.set('what changed is judged after', `${one.settling_minutes} min`);
  return { ...one, told };
}

export function keptOfTier(one: TierRevision): Kept {
  const told = new Map([
    ['at least, operations a second', formatCount(one.min_iops)],
    ['at most, operations a second', formatCount(one.max_iops)],
    ['holds for', one.is_together ? 'all its disks together' : 'each disk'],
    ['an instant may pass the maximum', one.burst > 1 ? `${one.burst} times` : 'not at all'],
  ]);
  if (one.max_bytes_per_second !== null)
    told.set('at most, bytes a second', formatBytes(one.max_bytes_per_second, { system: 'iec' }));
  if (one.latency_ms !== null) told.set('latency', `within ${one.latency_ms} ms`);
  return { ...one, told };
}
