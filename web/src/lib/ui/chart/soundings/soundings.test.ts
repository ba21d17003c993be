import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { addDays, todayIso } from '$lib/format';
import { courseOf, metricOf, unitOf, type Course } from './course';
import type { Facts } from './facts';
import { paceWords } from './marks';
import { daysRead, soundingsOption } from './option';
import { plannedLimit, plannedOf } from './plan';

const TIB = 1024 ** 4;
const today = todayIso();
const THEME = new Proxy({}, { get: (_, name) => String(name) }) as Facts['theme'];
type Series = { name: string; data: [string, number | null][] };

function course(more: Partial<Course> = {}): Course {
  return {
    name: 'space',
    unit: 'bytes',
    amount: 50 * TIB,
    size: 100 * TIB,
    limit: 90 * TIB,
    caution: 80 * TIB,
    attention: 'clear',
    leadTimeDays: 30,
    ...more,
  };
}

/** A pool that was read for so many days and grows by a tebibyte a day in its middle. */
function facts(nDays: number, more: Partial<Facts> = {}): Facts {
  const amounts = Array.from({ length: nDays }, (_, at) => (50 - (nDays - 1 - at) / 10) * TIB);
  const ahead = Array.from({ length: 200 }, (_, at) => (50 + at + 1) * TIB);
  return {
    course: course(),
    series: { amounts, first_on: addDays(today, 1 - nDays) },
    forecast: {
      as_of: today,
      path: {
        p10: ahead.map((one) => one * 0.9),
        p25: ahead.map((one) => one * 0.95),
        p50: ahead,
        p75: ahead.map((one) => one * 1.05),
        p90: ahead.map((one) => one * 1.1),
      },
      limit: { early_on: null, likely_on: addDays(today, 40), late_on: null },
      findings: { repairs: [], shifts: [], pace_changes: [] },
    },
    aheadDays: 90,
    plan: null,
    theme: THEME,
    ...more,
  } as unknown as Facts;
}

describe('what is read of a day', () => {
  test('every day of the drawing is told once, read or forecast, never both', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 120 }), (nDays) => {
        const told = daysRead(facts(nDays));
        expect(new Set(told.map((one) => one.on)).size).toBe(told.length);
        expect(told.filter((one) => one.read !== null)).toHaveLength(nDays);
        for (const one of told) {
          expect(one.read === null || one.likely === null).toBe(true);
          if (one.likely !== null) {
            expect(one.low).toBeLessThanOrEqual(one.likely);
            expect(one.high).toBeGreaterThanOrEqual(one.likely);
          }
        }
      }),
      { numRuns: 15 },
    );
  });

  test('a short history is not pressed into a corner by a long fan', () => {
    expect(daysRead(facts(5)).at(-1)?.on).toBe(addDays(today, 45));
    expect(daysRead(facts(60)).at(-1)?.on).toBe(addDays(today, 90));
  });

  test('nothing that was read has nothing but days', () => {
    const none = facts(0);
    expect(daysRead(none).every((one) => one.read === null)).toBe(true);
    expect(() => soundingsOption(none)).not.toThrow();
  });
});

describe('the drawing', () => {
  const yAxis = (given: Facts) => soundingsOption(given).yAxis as { min: number; max: number };

  test('holds all that was read, and its limit once that comes near', () => {
    const near = yAxis(facts(60));
    expect(near.min).toBeLessThanOrEqual(44.1 * TIB);
    expect(near.max).toBeGreaterThanOrEqual(100 * TIB);
    const far = yAxis(facts(60, { course: course({ limit: 9_000 * TIB, size: 9_900 * TIB }) }));
    expect(far.max).toBeLessThan(300 * TIB);
  });

  test('leaves an odd day out of its line and shows it beside', () => {
    const odd = { why: 'odd', first_on: addDays(today, -3), last_on: addDays(today, -3) };
    const given = facts(30);
    given.forecast.findings.repairs.push(odd as never);
    const series = soundingsOption(given).series as Series[];
    const line = series.find((one) => one.name === 'space');
    expect(line?.data.find(([on]) => on === odd.first_on)?.[1]).toBeNull();
    const beside = series.find((one) => one.name.startsWith('odd'));
    expect(beside?.data.map(([on]) => on)).toEqual([odd.first_on]);
  });

  test('stacks the fan from its floor to its top', () => {
    const series = soundingsOption(facts(30)).series as Series[];
    const stack = series.filter((one) => 'stack' in one);
    expect(stack.map((one) => one.name)).toEqual(['floor', 'p10–p25', 'p25–p75', 'p75–p90']);
    const top = stack.reduce((sum, one) => sum + (one.data.at(-1)?.[1] ?? 0), 0);
    // The history of 30 days shows 60 ahead.
    expect(top / TIB).toBeCloseTo(110 * 1.1);
  });

  test('has no fan where nothing is forecast', () => {
    const given = facts(30);
    given.forecast.as_of = null;
    const series = soundingsOption(given).series as Series[];
    expect(series.some((one) => 'stack' in one)).toBe(false);
  });
});

describe('a plan in it', () => {
  const plan = {
    first_on: today,
    added_bytes: Array.from({ length: 60 }, (_, at) => (at >= 10 ? -20 * TIB : 0)),
    size_bytes: Array.from({ length: 60 }, (_, at) => (at >= 10 ? 150 : 100) * TIB),
    limit_percent: 90,
    dates_after: { likely_on: addDays(today, 70) },
  } as unknown as Facts['plan'];
  const fan = {
    p50: [
      [addDays(today, 5), 55 * TIB] as [string, number],
      [addDays(today, 20), 70 * TIB] as [string, number],
      [addDays(today, 300), 99 * TIB] as [string, number],
    ],
  };

  test('is the likely course with what it brings or takes, as far as it is told', () => {
    expect(plannedOf(facts(30, { plan }), fan)).toEqual([
      [addDays(today, 5), 55 * TIB],
      [addDays(today, 20), 50 * TIB],
    ]);
    expect(plannedOf(facts(30), fan)).toEqual([]);
  });

  test('has its limit where it makes that larger, and none where it does not', () => {
    const told = plannedLimit(facts(30, { plan }));
    expect(told[0]).toEqual([today, 90 * TIB]);
    expect(told.at(-1)?.[1]).toBe(135 * TIB);
    const same = { ...plan, size_bytes: [TIB, TIB] } as Facts['plan'];
    expect(plannedLimit(facts(30, { plan: same }))).toEqual([]);
  });
});

describe('a course', () => {
  test('is in the unit of what is drawn, not of a size far above', () => {
    expect(unitOf(course()).name).toBe('TiB');
    expect(unitOf(course({ amount: 1024 ** 3, size: 100 * TIB })).name).toBe('GiB');
    expect(unitOf(course({ unit: 'CPUs' }))).toEqual({ name: 'CPUs', bytes: 1 });
    expect(unitOf(course({ unit: 'bytes/s', size: null })).name).toBe('TiB/s');
  });

  test.each([
    ['cpu', 'cpu'],
    ['nothing', 'used'],
    [null, 'used'],
  ])('of “%s” is of %s', (told, metric) => {
    expect(metricOf(told)).toBe(metric);
  });

  test('is none where the window has no reading', () => {
    const forecast = {
      metric: 'used',
      unit: 'bytes',
      last_amount: 5,
      marks: {},
      attention: 'clear',
      lead_time_days: 9,
    };
    expect(courseOf(forecast as never, { amounts: [null, null] } as never)).toBeNull();
    const read = courseOf(forecast as never, { amounts: [3, null] } as never);
    expect([read?.amount, read?.size, read?.limit]).toEqual([5, null, null]);
  });

  test('that turned says which way', () => {
    const change = { on: '1999-01-01', before_per_day: 1, after_per_day: 2 };
    expect(paceWords(change as never)).toBe('faster since Fri 1 Jan 1999');
    expect(paceWords({ ...change, after_per_day: 0 } as never)).toContain('slower');
  });
});
