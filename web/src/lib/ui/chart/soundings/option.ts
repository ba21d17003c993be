import type { EChartsCoreOption } from 'echarts/core';
import type { Schemas } from '$lib/api/client';
import { addDays, daysUntil, formatAmount, formatDay, todayIso } from '$lib/format';
import type { ChartTheme } from '$lib/ui/chart/theme';
import { unitOf, type Course, type Plan } from './course';

type Point = [string, number | null];

/** What the soundings are drawn of. */
export interface Facts {
  course: Course;
  series: Schemas['SoundingsRead'];
  forecast: Schemas['StandingRead'];
  aheadDays: number;
  plan: Plan | null;
  theme: ChartTheme;
}

type Undrawn = Omit<Facts, 'theme'>;

/** px around what is plotted. */
export const PLOT = { left: 46, right: 36, top: 26, bottom: 24 };
const LEAST_AHEAD_DAYS = 45;
const DECADE = 10;
const HALF_DECADE = 5;
const NICE = [1, 2, HALF_DECADE, DECADE];
const PERCENT = 100;
const HEADROOM = 0.06; // of the range shown
const [DASH_PX, GAP_PX] = [9, 5];
const LONG_DASH = [DASH_PX, GAP_PX];
const DOTS = [2, 2];
const TAG_PADDING = [2, GAP_PX];
const FONT_SIZE = 12;
const SMALL_FONT_SIZE = 11;
const OUTER_OPACITY = 0.55;
const INNER_OPACITY = 0.6;
const LAND_OPACITY = 0.6;
const CARET_SIZE = 9;
const SHOWN_SPAN_DAYS = 3; // shorter gaps would only speckle the paper
const SPAN_NAMES: Record<string, string> = {
  unread: 'not read',
  stuck: 'stuck, not believed',
  slipped: 'days put right',
};
const TAG_GAP_PX = 3;
const TAG_LINE_PX = 14;

/** Everything the soundings chart draws, in the unit that its axis names. */
export function soundingsOption(given: Facts): EChartsCoreOption {
  const facts = { ...given, aheadDays: aheadOf(given) };
  const { course, theme } = facts;
  const history = historyOf(facts);
  const fan = fanOf(facts);
  const unit = unitOf(course);
  const [low, high] = rangeOf(facts, history, fan);
  const first = history[0]?.[0] ?? todayIso();
  return {
    animation: false,
    textStyle: { fontFamily: theme.font, fontSize: FONT_SIZE, color: theme.inkSoft },
    grid: PLOT,
    xAxis: {
      type: 'time',
      min: first,
      max: addDays(todayIso(), facts.aheadDays),
      axisLine: { lineStyle: { color: theme.inkSoft } },
      axisLabel: { color: theme.inkSoft, hideOverlap: true },
      splitLine: { show: false },
    },
    yAxis: {
      type: 'value',
      min: low,
      max: high,
      interval: niceStep((high - low) / unit.bytes) * unit.bytes,
      axisLine: { show: false },
      axisLabel: {
        color: theme.inkSoft,
        showMaxLabel: false,
        formatter: (n: number) => axisText(n / unit.bytes, (high - low) / unit.bytes),
      },
      splitLine: { lineStyle: { color: theme.rule } },
    },
    series: [
      ...fanSeries(fan, theme),
      historySeries(facts, history),
      oddSeries(facts, history),
      ...planSeries(facts, fan),
    ],
  };
}

/** What is drawn of a day: what was read, or what is forecast with its 80 % band. */
export interface DayRead {
  on: string;
  read: number | null;
  isOdd: boolean;
  likely: number | null;
  low: number | null;
  high: number | null;
}

/** Every day of the drawing, the first that was read to the last of the fan. */
export function daysRead(given: Undrawn): DayRead[] {
  const facts = { ...given, aheadDays: aheadOf(given) };
  const history = new Map(historyOf(facts));
  const fan = fanOf(facts);
  const of = (name: string) => new Map(fan[name]);
  const [low, likely, high] = [of('p10'), of('p50'), of('p90')];
  const odd = oddDays(facts);
  const first = historyOf(facts)[0]?.[0] ?? todayIso();
  const n = daysUntil(addDays(todayIso(), facts.aheadDays), first) + 1;
  return Array.from({ length: n }, (_, at) => {
    const on = addDays(first, at);
    const read = history.get(on) ?? null;
    return {
      on,
      read,
      isOdd: odd.has(on),
      likely: read === null ? (likely.get(on) ?? null) : null,
      low: read === null ? (low.get(on) ?? null) : null,
      high: read === null ? (high.get(on) ?? null) : null,
    };
  });
}

/** A short history is not pressed into a corner by a long fan. */
function aheadOf(facts: Undrawn): number {
  return Math.min(facts.aheadDays, Math.max(LEAST_AHEAD_DAYS, historyOf(facts).length * 2));
}

function historyOf({ series }: Undrawn): Point[] {
  const points = series.amounts.map((used, day): Point => [addDays(series.first_on, day), used]);
  const begin = points.findIndex(([, used]) => used !== null);
  return begin < 0 ? [] : points.slice(begin);
}

/** Quantile → points from `as_of` on; the fan begins at the last reading. */
function fanOf({ forecast, aheadDays, course }: Undrawn): Record<string, Point[]> {
  const start = forecast.as_of;
  if (!start) return {};
  const last = addDays(todayIso(), aheadDays);
  return Object.fromEntries(
    Object.entries(forecast.path).map(([name, path]) => [
      name,
      [
        [start, course.amount] as Point,
        ...path
          .map((bytes, day): Point => [addDays(start, day + 1), bytes])
          .filter(([on]) => on <= last),
      ],
    ]),
  );
}

/** From the least shown to a little above its size: the fan is cut there, nobody plans beyond. */
function rangeOf(facts: Facts, history: Point[], fan: Record<string, Point[]>): [number, number] {
  const { course } = facts;
  const known = (points: Point[]) =>
    points.map(([, bytes]) => bytes).filter((bytes): bytes is number => bytes !== null);
  const used = known(history);
  const limit = course.limit;
  const past = course.attention === 'over' && limit !== null ? [limit] : []; // stays in sight
  const least = Math.min(...used, ...known(fan.p10 ?? []), course.amount, ...past);
  const demand = Math.max(...used, ...known(fan.p90 ?? []), course.amount);
  // Marks far above all that moves would press the line flat: they wait until it comes near.
  const isNear = limit !== null && demand - least > (limit - demand) / 2;
  const planned = [...known(plannedOf(facts, fan)), ...(isNear ? known(plannedLimit(facts)) : [])];
  const most = isNear && course.size !== null ? Math.max(course.size, ...used) : demand;
  const [bottom, top] = [Math.min(least, ...planned), Math.max(most, ...planned)];
  const room = (top - bottom || top || 1) * HEADROOM;
  const unit = unitOf(course).bytes;
  const step = niceStep((top - bottom + 2 * room) / unit) * unit;
  return [Math.max(0, Math.floor((bottom - room) / step) * step), top + room];
}

/** 1, 2 or 5 times a power of ten, so that about five lines are drawn. */
function niceStep(range: number): number {
  const LINES = 5;
  const raw = Math.max(range, Number.EPSILON) / LINES;
  const power = DECADE ** Math.floor(Math.log10(raw));

  return power * (NICE.find((n) => n * power >= raw) ?? NICE[0] ?? 1);
}

function axisText(amount: number, range: number): string {
  const FINE_RANGE = 4;
  return amount.toFixed(range < FINE_RANGE ? 2 : range < (FINE_RANGE * FINE_RANGE) / 2 ? 1 : 0);
}

function fanSeries(fan: Record<string, Point[]>, theme: ChartTheme): EChartsCoreOption[] {
  const { p10, p25, p50, p75, p90 } = fan;
  if (!p10 || !p25 || !p50 || !p75 || !p90) return [];
  const base = { type: 'line', symbol: 'none', silent: true, lineStyle: { opacity: 0 } };
  const band = (name: string, low: Point[], high: Point[], color: string, opacity: number) => ({
    ...base,
    name,
    stack: 'fan',
    data: high.map(([on, bytes], day): Point => [on, (bytes ?? 0) - (low[day]?.[1] ?? 0)]),
    areaStyle: { color, opacity },
  });
  return [
    { ...base, name: 'floor', stack: 'fan', data: p10, areaStyle: { opacity: 0 } },
    band('p10–p25', p10, p25, theme.fanOuter, OUTER_OPACITY),
    band('p25–p75', p25, p75, theme.fan, INNER_OPACITY),
    band('p75–p90', p75, p90, theme.fanOuter, OUTER_OPACITY),
    {
      ...base,
      name: 'p50',
      data: p50,
      lineStyle: { color: theme.depth, width: 1.6, type: DOTS },
    },
  ];
}

/** What is likely with a scenario: the same course, and what the scenario brings or takes. */
function plannedOf({ plan }: Undrawn, fan: Record<string, Point[]>): Point[] {
  if (!plan || plan.added_bytes.length === 0) return [];
  return (fan.p50 ?? []).flatMap(([on, bytes]): Point[] => {
    const added = plan.added_bytes[daysUntil(on, plan.first_on)];
    return bytes === null || added === undefined ? [] : [[on, Math.max(bytes + added, 0)]];
  });
}

/** Its limit mark, where the scenario makes it larger or smaller. */
function plannedLimit({ plan, aheadDays }: Undrawn): Point[] {
  if (!plan || new Set(plan.size_bytes).size < 2) return [];
  return plan.size_bytes
    .slice(0, aheadDays + 1)
    .map((size, day): Point => [
      addDays(plan.first_on, day),
      (size * plan.limit_percent) / PERCENT,
    ]);
}

function planSeries(facts: Facts, fan: Record<string, Point[]>): EChartsCoreOption[] {
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
                  distance: TAG_GAP_PX,
                  // Beside the tag of the estate as it is, not over it.
                  align: likely < (facts.forecast.limit.likely_on ?? likely) ? 'right' : 'left',
                  color: theme.raised,
                  backgroundColor: theme.plan,
                  padding: TAG_PADDING,
                  lineHeight: TAG_LINE_PX,
                  fontSize: SMALL_FONT_SIZE,
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

function historySeries(facts: Facts, history: Point[]): EChartsCoreOption {
  const { course, theme } = facts;
  const odd = oddDays(facts);
  return {
    name: course.name,
    type: 'line',
    symbol: 'none',
    connectNulls: true,
    data: history.map(([on, used]): Point => [on, odd.has(on) ? null : used]),
    lineStyle: { color: theme.ink, width: 1.6 },
    markLine: marksOf(facts),
    markArea: areasOf(facts),
    markPoint: shiftsOf(facts, history),
  };
}

function marksOf({ course, forecast, theme }: Facts): EChartsCoreOption {
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
          distance: TAG_GAP_PX,
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
              distance: TAG_GAP_PX,
              color: theme.raised,
              backgroundColor: theme.limit,
              padding: TAG_PADDING,
              lineHeight: TAG_LINE_PX,
              fontSize: SMALL_FONT_SIZE,
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
function areasOf({ course, forecast, series, theme }: Facts): EChartsCoreOption {
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

function shiftsOf({ course, forecast, theme }: Facts, history: Point[]): EChartsCoreOption {
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
function oddDays({ forecast }: Undrawn): Set<string> {
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

function oddSeries(facts: Facts, history: Point[]): EChartsCoreOption {
  const { theme } = facts;
  const odd = oddDays(facts);
  return {
    name: 'odd reading, left out',
    type: 'scatter',
    symbolSize: 6,
    itemStyle: { color: 'transparent', borderColor: theme.ink, borderWidth: 1.2 },
    data: history.filter(([on]) => odd.has(on)),
  };
}
