import type { PoolDetail } from '$lib/api/client';
import { axisUnit, preferences } from '$lib/format';

/** What is sounded: where it stands now and its lines, in the unit of its metric. */
export interface Course {
  name: string; // of the amount
  unit: string;
  amount: number;
  size: number | null; // nothing ends it where that is null
  limit: number | null;
  caution: number | null;
  attention: string;
  leadTimeDays: number;
}

const PERCENT = 100;

/** The used bytes of a pool. */
export function courseOf(pool: PoolDetail): Course {
  const at = (percent: number) => (pool.usable_bytes / PERCENT) * percent;
  return {
    name: 'used',
    unit: 'bytes',
    amount: pool.used_bytes,
    size: pool.usable_bytes,
    limit: at(pool.limit_percent),
    caution: at(pool.caution_percent),
    attention: pool.attention,
    leadTimeDays: pool.lead_time_days,
  };
}

/** Bytes are told in the unit chosen and fitting; CPUs and IOPS are counted. */
export function unitOf({ unit, size, amount }: Course): { name: string; bytes: number } {
  if (!unit.startsWith('bytes')) return { name: unit, bytes: 1 };
  const fitting = axisUnit(size ?? amount, preferences.system);
  return { ...fitting, name: unit.replace('bytes', fitting.name) };
}
