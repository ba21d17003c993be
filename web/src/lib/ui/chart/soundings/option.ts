import type { EChartsCoreOption } from 'echarts/core';
import { addDays, daysUntil, todayIso } from '$lib/format';
import type { ChartTheme } from '$lib/ui/chart/theme';
import { unitOf } from './course';
import { DOTS, type Facts, type Point, type Undrawn } from './facts';
import { areasOf, marksOf, oddDays, shiftsOf } from './marks';
import { plannedLimit, plannedOf, planSeries } from './plan';

/** px around what is plotted. */
export const PLOT = { left: 46, right: 36, top: 26, bottom: 24 };
const LEAST_AHEAD_DAYS = 45;
const DECADE = 10;
const HALF_DECADE = 5;
const NICE = [1, 2, HALF_DECADE, DECADE];
const HEADROOM = 0.06; // of the range shown
const FONT_SIZE = 12;
const OUTER_OPACITY = 0.55;
const INNER_OPACITY = 0.6;

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
