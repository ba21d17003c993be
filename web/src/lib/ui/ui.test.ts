import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { bandPath, linePath, momentMarks, roundMarks, stacked, stepName } from './chart/lanes';
import { HORIZON_DAYS, TICKS, WIDTH, x } from './runway-scale';
import { carriesThings, carry, movesFor, thingsDropped } from './put.svelte';
import { drawn, filled, worded } from './states';
import { between, inOrder, linesOf, orderOf, sortedBy } from './table/columns';
import { cellText, dayOfNumber, daysAhead } from './thing/cells';
import { lanesOf, operationsOf, sizeOf, type Performance } from './thing/performance';
import { dayAt, daysBetween, monthName, monthsOf, shifted, xOf } from './tide';
import { growthDays, growthKey, GROWTH_WINDOWS } from './windows';

const value = fc.option(fc.integer({ min: 0, max: 10 ** 6 }));
const values = fc.array(value, { minLength: 1, maxLength: 30 });
const FLAT = { x: (at: number) => at, y: (amount: number) => -amount };

describe('lines of values', () => {
  test('begin anew wherever something is not known', () => {
    fc.assert(
      fc.property(values, (told) => {
        const pieces = told.filter((one, at) => one !== null && (told[at - 1] ?? null) === null);
        const path = linePath(told, FLAT);
        expect(path.split('M').length - 1).toBe(pieces.length);
        expect(path.split(/[ML]/).length - 1).toBe(told.filter((one) => one !== null).length);
      }),
    );
  });

  test('bands close around every piece', () => {
    fc.assert(
      fc.property(values, (told) => {
        const path = bandPath(told, told, FLAT);
        const pieces = told.filter((one, at) => one !== null && (told[at - 1] ?? null) === null);
        expect(path.split('Z').length - 1).toBe(pieces.length);
      }),
    );
  });

  test('stacked they end at their sum, and what nobody knows stays unknown', () => {
    const pairs = fc.array(fc.tuple(value, value), { minLength: 1, maxLength: 20 });
    fc.assert(
      fc.property(pairs, (told) => {
        const parts = [told.map(([a]) => a), told.map(([, b]) => b)];
        const top = stacked(parts).at(-1) ?? [];
        told.forEach(([a, b], at) => {
          expect(top[at]).toBe(a === null && b === null ? null : (a ?? 0) + (b ?? 0));
        });
      }),
    );
  });
});

describe('marks', () => {
  test('of amounts are round, few, and reach up to the most', () => {
    fc.assert(
      fc.property(fc.double({ min: 0.001, max: 1e12, noNaN: true }), (most) => {
        const marks = roundMarks(most);
        expect(marks.length).toBeGreaterThanOrEqual(2);
        expect(marks.length).toBeLessThanOrEqual(8);
        expect(marks[0]).toBe(0);
        expect(marks.at(-1)).toBeLessThanOrEqual(most * (1 + 1e-9));
      }),
    );
    expect(roundMarks(0)).toEqual([0]);
    expect(roundMarks(Number.NaN)).toEqual([0]);
  });

  test('of moments lie on whole hours and are not too many', () => {
    const begin = Date.UTC(2026, 10, 23, 7, 35);
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 24 * 60 }), (hours) => {
        const end = begin + hours * 3_600_000;
        const marks = momentMarks(begin, end);
        expect(marks.length).toBeLessThanOrEqual(10);
        for (const { at } of marks) {
          expect(at % 3_600_000).toBe(0);
          expect(at).toBeGreaterThanOrEqual(begin);
          expect(at).toBeLessThan(end);
        }
      }),
    );
  });

  test('a step is told by its day, a short one by its time as well', () => {
    const at = Date.UTC(1999, 0, 1, 7, 35);
    expect(stepName(at, 86_400_000)).toBe('Fri 1 Jan 1999');
    expect(stepName(at, 300_000)).toContain('UTC');
  });
});

describe('the scale of runways', () => {
  test('goes from now to two years, later always further right', () => {
    const days = fc.integer({ min: -50, max: 2_000 });
    fc.assert(
      fc.property(days, days, (a, b) => {
        expect(x(Math.min(a, b))).toBeLessThanOrEqual(x(Math.max(a, b)));
      }),
    );
    expect([x(0), x(-9), x(HORIZON_DAYS), x(9_999)]).toEqual([0, 0, WIDTH, WIDTH]);
    expect(TICKS.map((tick) => x(tick.days))).toEqual(
      TICKS.map((tick) => x(tick.days)).sort((a, b) => a - b),
    );
  });
});

describe('the tide bar', () => {
  const scale = { firstOn: '2026-08-01', lastOn: '2027-11-23', width: 900 };

  test('a day stands where it is found again', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: daysBetween(scale.firstOn, scale.lastOn) }), (n) => {
        const day = shifted(scale.firstOn, n);
        expect(dayAt(xOf(day, scale), scale)).toBe(day);
      }),
    );
    expect([dayAt(-5, scale), dayAt(5_000, scale)]).toEqual([scale.firstOn, scale.lastOn]);
  });

  test.each([1, 2, 3, 6])('months are told each %d of them', (step) => {
    const months = monthsOf(scale, step);
    expect(months.every((one) => one.endsWith('-01'))).toBe(true);
    expect(months.every((one) => (Number(one.slice(5, 7)) - 1) % step === 0)).toBe(true);
    expect(months.length).toBe(step === 1 ? 15 : months.length);
  });

  test('a year is told at its first month', () => {
    expect([monthName('2026-10-01'), monthName('2027-01-01')]).toEqual(['Oct', 'Jan 27']);
  });
});

describe('tables', () => {
  const rows = fc.array(
    fc.record({ n: fc.option(fc.integer()), name: fc.string({ maxLength: 4 }) }),
    { maxLength: 20 },
  );
  const by = {
    n: (row: { n: number | null }) => row.n,
    name: (row: { name: string }) => row.name,
  };

  test('sorted they keep every row, unknown ones last, up or down', () => {
    fc.assert(
      fc.property(rows, fc.boolean(), (told, isDown) => {
        const sorted = inOrder(told, isDown ? '-n' : 'n', by as never);
        expect(sorted).toHaveLength(told.length);
        expect(told.every((row) => sorted.includes(row))).toBe(true);
        const known = sorted.flatMap((row) => (row.n === null ? [] : [row.n]));
        expect(sorted.slice(known.length).every((row) => row.n === null)).toBe(true);
        expect(known).toEqual([...known].sort((a, b) => (isDown ? b - a : a - b)));
      }),
    );
  });

  test('of equal ones the second order counts, and an unknown one none', () => {
    const told = [
      { n: 1, name: 'b' },
      { n: 1, name: 'a' },
      { n: 2, name: 'a10' },
      { n: 2, name: 'a9' },
    ];
    const names = (order: string) => inOrder(told, order, by as never).map((row) => row.name);
    expect(names('-n,name')).toEqual(['a9', 'a10', 'a', 'b']);
    expect(names('nothing')).toEqual(['b', 'a', 'a10', 'a9']);
  });

  test.each(['', 'name', '-written,name'])('the order “%s” is read and told', (order) => {
    expect(orderOf(sortedBy(order))).toBe(order);
  });

  test('shift chooses all between, both ends with them', () => {
    const ids = [5, 3, 9, 1];
    expect(between(ids, 9, 5)).toEqual([5, 3, 9]);
    expect(between(ids, 3, 3)).toEqual([3]);
    expect([between(ids, 7, 1), between(ids, 1, 7)]).toEqual([[1], []]);
  });

  test('rows of groups are numbered on through them', () => {
    const group = (key: string, some: string[]) => ({ key, title: key, note: '', rows: some });
    const told = linesOf({
      rows: [],
      groups: [group('a', ['x', 'y']), group('b', ['z'])],
    } as never);
    expect(told.map((line) => ('index' in line ? line.index : 'head'))).toEqual([
      'head',
      0,
      1,
      'head',
      2,
    ]);
  });
});

describe('cells', () => {
  test.each([
    [null, 'bytes', '–'],
    [true, 'flag', 'yes'],
    ['Swift', 'text', 'Swift'],
    [{ id: 1, kind: 'vm', name: 'vm-1' }, 'thing', 'vm-1'],
    [1024, 'bytes', '1.00 KiB'],
    [81.6, 'percent', '82 %'],
    [10_592, 'until', 'Fri 1 Jan 1999'],
    [12_345, 'count', '12\u202f345'],
  ])('%o as %s is “%s”', (told, measure, text) => {
    expect(cellText(told, measure)).toBe(text);
  });

  test('days are counted from 1970', () => {
    expect([dayOfNumber(0), dayOfNumber(20_780)]).toEqual(['1970-01-01', '2026-11-23']);
    expect(
      daysAhead(Math.round(Date.parse(new Date().toISOString().slice(0, 10)) / 86_400_000)),
    ).toBe(0);
  });

  test.each([
    ['clear', '', 'text-depth-4'],
    ['urgent', 'text-signal', 'text-signal'],
    ['unheard of', '', 'text-ink-soft'],
  ])('the state %s has words in “%s” and a drawing in %s', (state, words, look) => {
    expect([worded(state), drawn(state), filled(state)]).toEqual([
      words,
      look,
      look.replace('text', 'fill'),
    ]);
  });

  test('a window is a month unless an address names one', () => {
    expect([growthDays(null), growthDays('7'), growthDays('8')]).toEqual([30, 7, 30]);
    for (const { key, days } of GROWTH_WINDOWS) expect(growthDays(growthKey(key))).toBe(days);
  });
});

describe('what is done', () => {
  const nothing = [null, null, null];
  const told = {
    read_iops: [1, null, null],
    write_iops: [2, 3, null],
    least_iops: nothing,
    most_iops: nothing,
    latency_ms: nothing,
    read_latency_ms: nothing,
    write_latency_ms: nothing,
    array_latency_ms: nothing,
    network_latency_ms: nothing,
    queue_latency_ms: nothing,
    qos_latency_ms: nothing,
    sustains_iops: null,
  } as unknown as Performance;

  test('reads and writes add up where either is known', () => {
    expect(operationsOf(told)).toEqual([3, 3, null]);
    expect(sizeOf([8, 8, 8], [2, 0, null])).toEqual([4, null, null]);
  });

  test('waits have a lane only where somebody told of them', () => {
    expect(lanesOf(told).map((one) => one.title)).toEqual(['reads and writes']);
    const waiting = { ...told, queue_latency_ms: [1, 2, 3], sustains_iops: 900 };
    const [io, waits] = lanesOf(waiting);
    expect(io?.mark?.says).toBe('sustains 900');
    expect(waits?.bands?.length).toBe(4);
  });
});

describe('what is dragged', () => {
  const drag = (kept = new Map<string, string>()) =>
    ({
      dataTransfer: {
        types: { includes: (type: string) => kept.has(type) },
        setData: (type: string, told: string) => kept.set(type, told),
        getData: (type: string) => kept.get(type) ?? '',
      },
    }) as unknown as DragEvent;
  const pool = { id: 7, kind: 'pool', name: 'swift-1' };

  test('arrives where it is dropped', () => {
    const event = drag();
    expect(carriesThings(event)).toBe(false);
    carry(event, [pool]);
    expect(carriesThings(event)).toBe(true);
    expect(thingsDropped(event)).toEqual([pool]);
  });

  test.each(['', 'x', '7', '{}', '[7]', '[{"id":"7","kind":"pool","name":"x"}]', '[null]'])(
    'is nothing where it is “%s”',
    (told) => {
      expect(thingsDropped(drag(new Map([['application/x-things', told]])))).toEqual([]);
    },
  );

  test('goes into the moves that take it, or all of it', () => {
    const ask = (form: string, kinds: string[]) => ({ form, kinds });
    const kinds = [
      { kind: 'extend_pool', asks: [ask('thing', ['pool'])] },
      { kind: 'free', asks: [ask('things', ['vm', 'volume'])] },
    ] as unknown as Parameters<typeof movesFor>[0];
    const names = (...things: (typeof pool)[]) => movesFor(kinds, things).map((one) => one.kind);
    expect(names(pool)).toEqual(['extend_pool']);
    expect(names(pool, { ...pool, id: 8 })).toEqual([]);
    const vm = { ...pool, kind: 'vm' };
    expect(names(vm, { ...vm, id: 8 })).toEqual(['free']);
    expect(names(vm, { ...pool, kind: 'volume' })).toEqual(['free']);
    expect(names(vm, pool)).toEqual([]);
    expect(names()).toEqual([]);
  });
});
