import { formatDay } from '$lib/format';

/** Lines and bands of values along equal steps; where a value is not known the line breaks. */
type Values = readonly (number | null)[];

/** From a step and an amount to where it is drawn. */
export interface Scale {
  x: (at: number) => number;
  y: (amount: number) => number;
}

const DIGITS = 1;
const place = (x: number, y: number) => `${x.toFixed(DIGITS)} ${y.toFixed(DIGITS)}`;

/** A line through what is known. */
export function linePath(values: Values, { x, y }: Scale): string {
  let path = '';
  let isOn = false;
  values.forEach((amount, at) => {
    if (amount !== null) path += `${isOn ? 'L' : 'M'}${place(x(at), y(amount))}`;
    isOn = amount !== null;
  });
  return path;
}

/** A band from one set of values to another, in pieces where both are known. */
export function bandPath(low: Values, high: Values, { x, y }: Scale): string {
  let path = '';
  for (let begin = 0; begin < low.length; begin++) {
    if (low[begin] === null || high[begin] === null) continue;
    let end = begin;
    while (end + 1 < low.length && low[end + 1] !== null && high[end + 1] !== null) end++;
    const steps = Array.from({ length: end - begin + 1 }, (_, n) => begin + n);
    const up = steps.map((at) => place(x(at), y(high[at] ?? 0)));
    const down = steps.toReversed().map((at) => place(x(at), y(low[at] ?? 0)));
    path += `M${[...up, ...down].join('L')}Z`;
    begin = end;
  }
  return path;
}

/** Values stacked one on the other; a part that is not known adds nothing. */
export function stacked(parts: readonly Values[]): (number | null)[][] {
  const levels: (number | null)[][] = [];
  let below: (number | null)[] = (parts[0] ?? []).map(() => 0);
  for (const part of parts) {
    below = part.map((amount, at) => {
      const base = below[at] ?? 0;
      return parts.every((one) => one[at] === null) ? null : base + (amount ?? 0);
    });
    levels.push(below);
  }
  return levels;
}

const FEWEST = 3;
const TEN = 10;
const STEPS = [1, 2, 5];

/** Round amounts from nought to the most, a few of them. */
export function roundMarks(most: number): number[] {
  if (!(most > 0)) return [0];
  const rough = most / FEWEST;
  const power = TEN ** Math.floor(Math.log10(rough));
  const step = (STEPS.find((one) => one * power >= rough) ?? TEN) * power;
  return Array.from({ length: Math.floor(most / step) + 1 }, (_, n) => n * step);
}

const DAY_MS = 86_400_000;
const HOUR_MS = 3_600_000;
const MOST_MARKS = 9;
const EVERY_HOURS = [1, 3, 6, 12, 24, 48, 72, 168, 336, 720];

const clock = new Intl.DateTimeFormat(undefined, {
  hour: '2-digit',
  minute: '2-digit',
  timeZone: 'UTC',
});
const dayName = new Intl.DateTimeFormat(undefined, {
  weekday: 'short',
  day: 'numeric',
  month: 'short',
  timeZone: 'UTC',
});

/** Moments worth a mark on the axis: whole hours of the day or whole days, not too many. */
export function momentMarks(firstMs: number, lastMs: number): { at: number; name: string }[] {
  const hours =
    EVERY_HOURS.find((one) => (lastMs - firstMs) / (one * HOUR_MS) <= MOST_MARKS) ??
    EVERY_HOURS.at(-1) ??
    1;
  const step = hours * HOUR_MS;
  const begin = Math.ceil(firstMs / step) * step;
  const marks = [];
  for (let at = begin; at < lastMs; at += step) {
    marks.push({ at, name: at % DAY_MS === 0 ? dayName.format(at) : clock.format(at) });
  }
  return marks;
}

/** When a step begins: its day, and the time (UTC, as days are) where it is shorter than one. */
export function stepName(ms: number, stepMs: number): string {
  const on = formatDay(new Date(ms).toISOString().slice(0, 'YYYY-MM-DD'.length));
  return stepMs >= DAY_MS ? on : `${on} ${clock.format(ms)} UTC`;
}
