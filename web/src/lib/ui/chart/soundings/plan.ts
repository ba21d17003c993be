import type { EChartsCoreOption } from 'echarts/core';
import { addDays, daysUntil, formatDay } from '$lib/format';
import { LONG_DASH, TAG, type Facts, type Point, type Undrawn } from './facts';

const PERCENT = 100;

/** What is likely with a scenario: the same course, and what the scenario brings or takes. */
export function plannedOf({ plan }: Undrawn, fan: Record<string, Point[]>): Point[] {
  if (!plan || plan.added_bytes.length === 0) return [];
  return (fan.p50 ?? []).flatMap(([on, bytes]): Point[] => {
    const added = plan.added_bytes[daysUntil(on, plan.first_on)];
    return bytes === null || added === undefined ? [] : [[on, Math.max(bytes + added, 0)]];
  });
}

/** Its limit mark, where the scenario makes it larger or smaller. */
export function plannedLimit({ plan, aheadDays }: Undrawn): Point[] {
  if (!plan || new Set(plan.size_bytes).size < 2) return [];
  return plan.size_bytes
    .slice(0, aheadDays + 1)
    .map((size, day): Point => [
      addDays(plan.first_on, day),
      (size * plan.limit_percent) / PERCENT,
    ]);
}

export function planSeries(facts: Facts, fan: Record<string, Point[]>): EChartsCoreOption[] {
  const { plan, theme } = facts;
  const likely = plan?.dates_after.likely_on;
  const line = { type: 'line', symbol: 'none', silent: true, z: 4 };
  return [
    {
      ...line,
      name: 'with the scenario',
      data: plannedOf(facts, fan),
      lineStyle: { color: theme.plan, width: 2, type: 'solid' },
      markLine: {
        symbol: 'none',
        silent: true,
        data: likely
          ? [
              {
                xAxis: likely,
                lineStyle: { color: theme.plan, type: 'solid', width: 1.4 },
                label: {
                  formatter: formatDay(likely),
                  position: 'end',
                  // Beside the tag of the estate as it is, not over it.
                  align: likely < (facts.forecast.limit.likely_on ?? likely) ? 'right' : 'left',
                  color: theme.raised,
                  backgroundColor: theme.plan,
                  ...TAG,
                },
              },
            ]
          : [],
      },
    },
    {
      ...line,
      name: 'limit with the scenario',
      step: 'end',
      data: plannedLimit(facts),
      lineStyle: { color: theme.plan, width: 1.3, type: LONG_DASH },
    },
  ];
}
