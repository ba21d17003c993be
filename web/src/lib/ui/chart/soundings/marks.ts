import type { EChartsCoreOption } from 'echarts/core';
import type { Schemas } from '$lib/api/client';
import { addDays, daysUntil, formatAmount, formatDay, todayIso } from '$lib/format';
import {
  DOTS,
  LONG_DASH,
  SMALL_FONT_SIZE,
  TAG,
  type Facts,
  type Point,
  type Undrawn,
} from './facts';

const LAND_OPACITY = 0.6;
const CARET_SIZE = 9;
const SHOWN_SPAN_DAYS = 3; // shorter gaps would only speckle the paper
const SPAN_NAMES: Record<string, string> = {
  unread: 'not read',
  stuck: 'stuck, not believed',
  slipped: 'days put right',
};

export function marksOf({ course, forecast, theme }: Facts): EChartsCoreOption {
  const level = (
    name: string,
    amount: number | null,
    color: string,
    dash: number[] | 'solid',
  ): EChartsCoreOption[] =>
    amount === null
      ? []
      : [
          {
            yAxis: amount,
            lineStyle: { color, type: dash, width: 1.3 },
            label: {
              formatter: `${name} ${formatAmount(amount, course.unit)}`,
              position: 'insideStartTop',
              color,
              fontSize: SMALL_FONT_SIZE,
            },
          },
        ];
  const upright = (on: string, color: string, label: EChartsCoreOption) => ({
    xAxis: on,
    lineStyle: { color, type: 'solid', width: 1.4 },
    label,
  });
  const likely = course.attention === 'over' ? null : forecast.limit.likely_on;
  const isAllLimit = course.limit === course.size;
  return {
    symbol: 'none',
    silent: true,
    data: [
      ...(isAllLimit ? [] : level('usable', course.size, theme.ink, 'solid')),
      ...level('limit', course.limit, theme.limit, LONG_DASH),
      ...level('caution', course.caution, theme.caution, LONG_DASH),
      upright(todayIso(), theme.ink, { show: false }),
      ...forecast.findings.pace_changes.map((change) => ({
        ...upright(change.on, theme.inkSoft, {
          formatter: paceWords(change),
          position: 'end',
          distance: TAG.distance,
          color: theme.inkSoft,
          fontSize: SMALL_FONT_SIZE,
        }),
        lineStyle: { color: theme.inkSoft, type: DOTS, width: 1 },
      })),
      ...(likely
        ? [
            upright(likely, theme.limit, {
              formatter: formatDay(likely),
              position: 'end',
              color: theme.raised,
              backgroundColor: theme.limit,
              ...TAG,
            }),
          ]
        : []),
    ],
  };
}

export function paceWords(change: Schemas['PaceChangeRead']): string {
  const { before_per_day: before, after_per_day: after } = change;
  return `${after > before ? 'faster' : 'slower'} since ${formatDay(change.on)}`;
}

/** Lead time ahead; behind, the spans in which the line is drawn and not read. */
export function areasOf({ course, forecast, series, theme }: Facts): EChartsCoreOption {
  const until = addDays(todayIso(), course.leadTimeDays);
  const spans = forecast.findings.repairs
    .filter((span) => span.why !== 'odd' && span.last_on >= series.first_on)
    .filter((span) => daysBetween(span) >= SHOWN_SPAN_DAYS)
    .map((span) => [
      {
        name: SPAN_NAMES[span.why],
        xAxis: span.first_on,
        itemStyle: { color: theme.rule, opacity: LAND_OPACITY },
        label: { position: 'insideTop' },
      },
      { xAxis: addDays(span.last_on, 1) },
    ]);
  return {
    silent: true,
    itemStyle: { color: theme.land, opacity: LAND_OPACITY },
    label: {
      show: true,
      position: 'insideBottomLeft',
      color: theme.inkSoft,
      fontSize: SMALL_FONT_SIZE,
    },
    data: [
      [{ name: `lead time ${course.leadTimeDays} d`, xAxis: todayIso() }, { xAxis: until }],
      ...spans,
    ],
  };
}

export function shiftsOf({ course, forecast, theme }: Facts, history: Point[]): EChartsCoreOption {
  const known = new Map(history);
  return {
    symbol: 'path://M0 8L5 0L10 8',
    symbolSize: [CARET_SIZE, CARET_SIZE],
    symbolOffset: [0, CARET_SIZE],
    itemStyle: { color: 'transparent', borderColor: theme.ink, borderWidth: 1.4 },
    label: { position: 'bottom', color: theme.ink, fontSize: SMALL_FONT_SIZE },
    data: forecast.findings.shifts
      .filter((shift) => known.has(shift.on))
      .map((shift) => ({
        coord: [shift.on, lowestAround(history, shift.on)],
        label: {
          show: true,
          formatter: `${formatAmount(shift.amount, course.unit, true)} on ${formatDay(shift.on)}, one step`,
        },
      })),
  };
}

/** The lower of the levels before and after a shift: below it the line is not crossed. */
function lowestAround(history: Point[], on: string): number {
  const at = history.findIndex(([day]) => day === on);
  const around = history.slice(Math.max(at - 2, 0), at + 2);
  return Math.min(...around.map(([, used]) => used ?? Infinity));
}

/** Days whose single wild reading was left out. */
export function oddDays({ forecast }: Undrawn): Set<string> {
  const days = new Set<string>();
  for (const span of forecast.findings.repairs) {
    if (span.why !== 'odd') continue;
    for (let on = span.first_on; on <= span.last_on; on = addDays(on, 1)) days.add(on);
  }
  return days;
}

function daysBetween(span: Schemas['RepairRead']): number {
  return daysUntil(span.last_on, span.first_on) + 1;
}
