import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { axisUnit, exactBytes, formatBytes, parseBytes } from './bytes';
import { clock, UTC } from './clock.svelte';
import {
  addDays,
  daysUntil,
  formatAge,
  formatDay,
  formatRunway,
  formatSeconds,
  todayIso,
} from './dates';
import { aKind, counted } from './kinds';
import { BEYOND, limitDate, limitRange, limitShare, NO_END } from './limits';
import { formatCount, formatPercent } from './numbers';
import { formatAmount } from './amounts';

const TODAY = '2026-11-23';
const systems = fc.constantFrom('iec' as const, 'si' as const);
const amounts = fc.integer({ min: 0, max: Number.MAX_SAFE_INTEGER });
const days = fc.integer({ min: -3_000, max: 3_000 });

describe('bytes', () => {
  test.each([
    [79_495_440_662_528, 'iec', '72.3 TiB'],
    [79_495_440_662_528, 'si', '79.5 TB'],
    [-2048, 'iec', '−2.00 KiB'],
    [0, 'iec', '0 B'],
    [1023, 'iec', '1023 B'],
    [1024, 'iec', '1.00 KiB'],
    [1536, 'iec', '1.50 KiB'],
    [1024 ** 4 * 12.34, 'iec', '12.3 TiB'],
    [999, 'si', '999 B'],
    [2_000_000_000, 'si', '2.00 GB'],
    [-(1024 ** 3), 'iec', '−1.00 GiB'],
    [null, 'iec', '–'],
    [Number.NaN, 'si', '–'],
  ] as const)('%s in %s is %s', (amount, system, told) => {
    expect(formatBytes(amount, { system })).toBe(told);
  });

  test('a gain has its sign only where it is asked for', () => {
    expect(formatBytes(1024, { system: 'iec', isSigned: true })).toBe('+1.00 KiB');
    expect(formatBytes(0, { system: 'iec', isSigned: true })).toBe('0 B');
    expect(formatBytes(-1024, { system: 'iec', isSigned: true })).toBe('−1.00 KiB');
  });

  test('what is shown is what was read, to three digits', () => {
    fc.assert(
      fc.property(amounts, systems, (bytes, system) => {
        const read = parseBytes(formatBytes(bytes, { system })) ?? -1;
        expect(Math.abs(read - bytes)).toBeLessThanOrEqual(bytes * 0.0051 + 0.5);
      }),
    );
  });

  test('more bytes never look like fewer', () => {
    fc.assert(
      fc.property(amounts, amounts, systems, (a, b, system) => {
        const [less, more] = [Math.min(a, b), Math.max(a, b)].map(
          (one) => parseBytes(formatBytes(one, { system })) ?? -1,
        );
        expect(less).toBeLessThanOrEqual(more ?? -1);
      }),
    );
  });

  test.each(['8 EiB', '9223372036854775807', '', 'many', '1.2.3 TiB', '-3 GiB', '5 XiB', 'TiB'])(
    '“%s” is no amount',
    (text) => {
      expect(parseBytes(text)).toBeNull();
    },
  );

  test.each([
    ['1.5 TiB', 1.5 * 1024 ** 4],
    [' 20gb ', 20e9],
    ['4096', 4096],
    ['3 b', 3],
  ])('“%s” is %d bytes', (text, bytes) => {
    expect(parseBytes(text)).toBe(bytes);
  });

  test('an axis has the unit in which its largest amount is a whole one', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 2 ** 52 }), systems, (most, system) => {
        const unit = axisUnit(most, system);
        expect(most / unit.bytes).toBeGreaterThanOrEqual(1);
        expect(most / unit.bytes).toBeLessThan(system === 'iec' ? 1024 : 1000);
      }),
    );
  });

  test('exact bytes keep every digit', () => {
    expect(exactBytes(79_228_162_514).replaceAll(/\s/g, '')).toBe('79228162514B');
    expect(exactBytes(null)).toBe('no reading');
  });
});

describe('numbers', () => {
  test('thousands stand apart and nothing else is changed', () => {
    fc.assert(
      fc.property(fc.integer(), (n) => {
        expect(Number(formatCount(n).replaceAll('\u202f', ''))).toBe(n);
      }),
    );
    expect(formatCount(1_234_567)).toBe('1\u202f234\u202f567');
  });

  test.each([
    [0, '0 %'],
    [0.04, '0.0 %'],
    [2.34, '2.3 %'],
    [12.6, '13 %'],
    [-3, '−3 %'],
    [120, '120 %'],
    [0.24, '0.2 %'],
    [12_345, '12\u202f345 %'],
    [-5.5, '−5.5 %'],
    [1234, '1\u202f234 %'],
    [null, '–'],
  ])('%s is %s', (percent, told) => {
    expect(formatPercent(percent)).toBe(told);
  });

  test.each([
    [0.1234, 'IOPS', '0.123 IOPS'],
    [3.14, 'IOPS', '3.1 IOPS'],
    [31.4, 'IOPS', '31 IOPS'],
    [-5, 'CPUs', '−5 CPUs'],
    [null, 'CPUs', '–'],
  ])('%s %s is told as %s', (amount, unit, told) => {
    expect(formatAmount(amount, unit)).toBe(told);
  });
});

describe('days', () => {
  test('days are added and counted again, over leap days and the ends of years', () => {
    fc.assert(
      fc.property(days, (n) => {
        expect(daysUntil(addDays(TODAY, n), TODAY)).toBe(n);
        expect(addDays(addDays(TODAY, n), -n)).toBe(TODAY);
      }),
    );
  });

  test.each([
    [30, 'beyond'],
    [41, '41 d (30–77)'],
  ])('a runway is told with its range', (likely, told) => {
    const dates = {
      early_on: addDays(TODAY, 30),
      likely_on: likely === 30 ? null : addDays(TODAY, likely),
      late_on: addDays(TODAY, 77),
    };
    expect(formatRunway(dates, TODAY)).toContain(told);
  });

  test('a runway without an end says so, and one that is past has no days', () => {
    const none = { early_on: null, likely_on: null, late_on: null };
    expect(formatRunway(none, TODAY)).toBe('beyond 2 y');
    const past = { early_on: '2026-11-01', likely_on: '2026-11-20', late_on: null };
    expect(formatRunway(past, TODAY)).toBe('0 d (0–)');
  });

  test.each([
    ['2026-12-12', 19],
    ['2026-11-20', -3],
  ])('%s is %d days off', (day, n) => {
    expect(daysUntil(day, TODAY)).toBe(n);
  });

  // The next morning in Auckland.
  test.each([
    ['UTC', '2026-11-25', 2, '20:30', 'Wed 25 Nov'],
    ['Pacific/Auckland', '2026-11-26', 1, '09:30', 'Thu 26 Nov'],
    ['America/Los_Angeles', '2026-11-25', 2, '12:30', 'Wed 25 Nov'],
  ])('days and times in %s are those of one clock', (zone, today, until, at, words) => {
    const now = new Date('2026-11-25T20:30:00Z');
    clock.zone = zone;
    const day = todayIso(now);
    const told = [
      day,
      daysUntil('2026-11-27', day),
      clock.timeOf(now),
      formatDay(now.toISOString()),
    ];
    clock.zone = UTC;
    expect(told.slice(0, 3)).toEqual([today, until, at]);
    expect(told[3]).toContain(words);
  });

  test('an age is told since a moment, or as never', () => {
    const now = Date.parse('2026-11-23T08:00:00Z');
    expect(formatAge(null)).toBe('never');
    expect(formatAge('2026-11-23T07:55:00Z', now)).toBe('5 min');
    expect(formatAge('2026-11-24T07:55:00Z', now)).toBe('0 s');
  });

  test('a day far off has its year, a day near none', () => {
    expect(formatDay('1999-01-01')).toBe('Fri 1 Jan 1999');
    expect(formatDay(addDays(new Date().toISOString().slice(0, 10), 3))).not.toMatch(/\d{4}/);
    expect(formatDay(null)).toBe('–');
  });

  test.each([
    [3, '3 s'],
    [59, '59 s'],
    [300, '5 min'],
    [7200, '2 h'],
    [86_400 * 4, '4 d'],
  ])('%d seconds are %s', (seconds, told) => {
    expect(formatSeconds(seconds)).toBe(told);
  });
});

describe('words', () => {
  test.each([
    ['pool', 1, '1 pool'],
    ['shelf', 3, '3 shelves'],
    ['policy', 2, '2 policies'],
    ['vm', 12_345, '12\u202f345 VMs'],
    ['disk', 0, '0 virtual disks'],
    ['document', 1, '1 document'],
    ['reading', 12_345, '12\u202f345 readings'],
  ])('%s, %d: %s', (kind, n, told) => {
    expect(counted(kind, n)).toBe(told);
  });

  test.each([
    ['array', 'an array'],
    ['pool', 'a pool'],
    ['vm', 'a VM'],
  ])('%s: %s', (kind, told) => {
    expect(aKind(kind)).toBe(told);
  });

  test.each([
    ['over', 95, 90, '2026-11-01', '2026-11-01', 'past limit', '106 % of its limit'],
    ['caution', 45, 90, '2027-01-01', null, BEYOND, '50 % of its limit'],
    ['clear', 0, 90, null, null, NO_END, '0 % of its limit'],
    ['unread', null, 90, null, null, NO_END, ''],
    ['clear', 5, 0, null, null, NO_END, ''],
  ])('%s, %s of %d: its limit', (attention, amount, limit, early, likely, on, share) => {
    const told = {
      attention,
      amount,
      limit_amount: limit,
      limit: { early_on: early, likely_on: likely },
    };
    expect([limitDate(told), limitShare(told)]).toEqual([on, share]);
  });

  test('a limit is told as past, on its day, beyond sight or without an end', () => {
    const limit = { early_on: '1999-01-01', likely_on: '1999-01-02', late_on: null };
    expect(limitDate({ attention: 'over', limit })).toBe('past limit');
    expect(limitDate({ limit })).toBe('Sat 2 Jan 1999');
    expect(limitDate({ limit: { ...limit, likely_on: null } })).toBe(BEYOND);
    expect(limitDate({ limit: { early_on: null, likely_on: null } })).toBe(NO_END);
    expect(limitRange({ ...limit, likely_on: null })).toBe('early Fri 1 Jan 1999');
    expect(limitRange({ early_on: null, likely_on: null, late_on: null })).toBe('');
    expect(limitShare({ amount: 45, limit_amount: 90 })).toBe('50 % of its limit');
    expect(limitShare({ amount: null, limit_amount: 90 })).toBe('');
    expect(limitShare({ amount: 45, limit_amount: 0 })).toBe('');
  });
});
