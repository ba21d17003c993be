import type { Schemas } from '$lib/api/client';
import type { Course } from '$lib/features/pool/course';
import type { Metric } from '$lib/features/pool/queries';
import { metricName } from '$lib/format';

const METRICS: readonly Metric[] = [
  'used',
  'provisioned',
  'snapshots',
  'objects_hot',
  'objects_warm',
  'objects_cold',
  'cpu',
  'memory',
  'iops',
  'throughput',
];

/** The metric an address names; space where it names none. */
export function metricOf(told: string | null): Metric {
  return METRICS.find((one) => one === told) ?? 'used';
}

/** What the chart draws of a metric; null where the window has no reading. */
export function courseOf(
  forecast: Schemas['StandingRead'],
  soundings: Schemas['SoundingsRead'],
): Course | null {
  const amount = soundings.amounts.findLast((told) => told !== null) ?? null;
  if (amount === null) return null;
  const { full = null, limit = null, caution = null } = forecast.marks;
  return {
    name: metricName(forecast.metric),
    unit: forecast.unit,
    amount,
    size: full,
    limit,
    caution,
    attention: forecast.attention,
    leadTimeDays: forecast.lead_time_days,
  };
}
