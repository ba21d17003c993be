import type { Schemas } from '$lib/api/client';
import { axisUnit, metricName, preferences } from '$lib/format';

export type Metric = Schemas['StandingRead']['metric'];

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

/** How it goes on with a scenario that is looked at. */
export type Plan = Schemas['ScenarioCourseRead'];

const FAR_ABOVE = 4; // times what is used

/** Bytes are told in the unit chosen and fitting; CPUs and IOPS are counted. */
export function unitOf({ unit, size, amount }: Course): { name: string; bytes: number } {
  if (!unit.startsWith('bytes')) return { name: unit, bytes: 1 };
  // A size far above is not drawn: the unit is that of what is.
  const drawn = size !== null && size < amount * FAR_ABOVE ? size : amount;
  const fitting = axisUnit(drawn, preferences.system);
  return { ...fitting, name: unit.replace('bytes', fitting.name) };
}

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
  const read = soundings.amounts.findLast((told) => told !== null) ?? null;
  const amount = forecast.last_amount ?? read;
  if (read === null || amount === null) return null;
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
