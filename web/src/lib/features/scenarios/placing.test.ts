import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { todayIso } from '$lib/format';
import { movesOf, type Draft, type Together } from './intake';
import {
  endsOf,
  formOf as objectForm,
  moveOf,
  objectsOf,
  TIERS,
  tiersOf,
  tiersWith,
  type ObjectCandidate,
  type Objects,
} from './objects';
import {
  amountOf,
  columnsOf,
  endOf,
  extensionFor,
  isThere,
  movesWithout,
  missesOf,
  reasonOf,
  type Candidate,
  type Margin,
  type Place,
} from './placements';
import type { Move } from './queries';
import { disksText, formOf as workloadForm, workloadOf } from './workload';

const TIB = 1024 ** 4;

describe('a workload', () => {
  const disk = {
    size: '1.2 TiB',
    written: '30',
    growth: '9 GiB',
    isThick: true,
    least: '5',
    busy: '',
  };

  test('goes through the address and back', () => {
    const params = new URLSearchParams({ disks: disksText([disk, disk]), count: '3', cost: '0' });
    const told = workloadForm(params);
    expect(told.disks).toEqual([disk, disk]);
    const { workload, faults } = workloadOf(told);
    expect(faults).toEqual({});
    expect(workload?.n_vms).toBe(3);
    expect(workload?.disks[0]?.size_bytes).toBe(Math.round(1.2 * TIB));
    expect(workload?.weights).toEqual({ runway: 2, balance: 2, performance: 2, cost: 0 });
  });

  test.each([
    ['count', '0'],
    ['count', 'some'],
    ['disks', 'large,30,9 GiB,thin'],
    ['cpus', '-1'],
    ['memory', 'much'],
    ['exposure', 'little'],
    ['until', todayIso()],
    ['until', 'soon'],
  ] as const)('says what is wrong with %s “%s”', (name, text) => {
    const told = workloadOf(workloadForm(new URLSearchParams({ [name]: text })));
    expect(told.workload).toBeNull();
    expect(Object.keys(told.faults)).toEqual([name]);
  });

  test('is ranked by something', () => {
    const none = { runway: '0', balance: '0', performance: '0', cost: '0' };
    expect(workloadOf(workloadForm(new URLSearchParams(none))).faults.runway).toBeTruthy();
  });

  test('is out of an allotment for a tenant alone', () => {
    const asked = { fromAllotment: 'yes' };
    const of = (more: object) =>
      workloadOf(workloadForm(new URLSearchParams({ ...asked, ...more }))).workload;
    expect(of({})?.is_from_allotment).toBe(false);
    expect(of({ tenant: 'Tide Gauges' })?.is_from_allotment).toBe(true);
  });
});

describe('a place', () => {
  const margin = (more: Partial<Margin>): Margin =>
    ({
      check: 'space',
      is_cleared: true,
      is_asked: true,
      amount: 5 * TIB,
      unit: 'bytes',
      n_missed: null,
      ...more,
    }) as Margin;

  test.each([
    [{}, '5.00 TiB'],
    [{ amount: -TIB, is_cleared: false }, '−1.00 TiB'],
    [{ unit: 'bytes_per_second' }, '5.00 TiB/s'],
    [{ unit: 'iops', amount: -1234.4 }, '−1\u202f234'],
    [{ n_missed: 2 }, '2 broken'],
    [{ amount: null, is_cleared: false }, 'not known'],
    [{ amount: null, is_cleared: false, check: 'allotment' }, 'none here'],
    [{ amount: null }, ''],
  ] as [Partial<Margin>, string][])('tells a margin of %o as “%s”', (more, told) => {
    expect(amountOf(margin(more))).toBe(told);
  });

  test('shows the tests that tell places apart, those that reject somebody first', () => {
    const checks = [
      'read',
      'class',
      'space',
      'overcommit',
      'cpus',
      'memory',
      'iops',
      'throughput',
      'quota',
    ];
    const told = (check: string, more: object = {}) =>
      margin({ check: check as never, is_asked: true, ...more });
    const one = {
      margins: checks.map((check) =>
        told(check, check === 'quota' ? { is_cleared: false, amount: -7 } : {}),
      ),
    } as Candidate;
    const shown = columnsOf(checks as never, [one]);
    expect(shown.map((column) => column.check)).toEqual([
      'class',
      'space',
      'overcommit',
      'cpus',
      'memory',
      'iops',
      'quota',
    ]);
    expect(shown.at(-1)?.scale).toBe(7);
    expect(columnsOf(checks as never, [])).toEqual([]);
  });

  test('wants its datastore extended first where that is short', () => {
    const one = { datastore: { id: 7, name: 'd' }, extends_bytes: 3 * TIB } as Candidate;
    expect(extensionFor(one, '2027-03-01')).toMatchObject([
      { on: '2027-03-01', fields: { datastore: 7, added_bytes: 3 * TIB } },
    ]);
    expect(extensionFor({ ...one, extends_bytes: 0 }, '2027-03-01')).toEqual([]);
    expect(extensionFor({ ...one, datastore: null }, '2027-03-01')).toEqual([]);
  });

  describe('of work that is put elsewhere', () => {
    const made = (number: number, kind: string, fields: object, on = '2027-03-01') =>
      ({ number, kind, fields, on }) as Move;
    const work = made(2, 'place', { to: 7 });

    test.each([
      ['goes what it alone wanted', [made(1, 'extend_datastore', { datastore: 7 }), work], [2]],
      [
        'stays what is of another day',
        [made(1, 'extend_datastore', { datastore: 7 }, '2027-02-01'), work],
        [1, 2],
      ],
      [
        'stays what is of another place',
        [made(1, 'extend_datastore', { datastore: 8 }), work],
        [1, 2],
      ],
      [
        'stays what others want too',
        [made(1, 'extend_datastore', { datastore: 7 }), work, made(3, 'place', { to: 7 })],
        [1, 2, 3],
      ],
      ['stays all where nothing is before it', [work], [2]],
    ])('%s', (_, moves, left) => {
      expect(movesWithout(moves, work).map((one) => one.number)).toEqual(left);
    });
  });

  test('says by what it is ranked, and what it misses', () => {
    const one = {
      early_days: 88.4,
      space_percent: 12.2,
      iops_percent: null,
      cost_a_month: 1240.4,
      margins: [
        margin({}),
        margin({ is_cleared: false, amount: -TIB }),
        margin({ check: 'read', is_cleared: false, amount: null }),
      ],
    } as unknown as Candidate;
    expect(reasonOf(one, 'crowns')).toBe(
      'leaves 88 d, bad case · 12 % space · costs 1\u202f240 crowns a month',
    );
    expect(reasonOf({ ...one, early_days: null, cost_a_month: null }, '')).toBe(
      'leaves no end in sight · 12 % space',
    );
    expect(missesOf(one)).toBe('pool space −1.00 TiB, not judged: readings too old or too few');
  });

  test.each([
    [{ early_on: '1999-01-01', likely_on: '1999-01-02', late_on: null }, 'Sat 2 Jan 1999'],
    [{ early_on: '1999-01-01', likely_on: null, late_on: null }, 'beyond 2 y'],
    [{ early_on: null, likely_on: null, late_on: null }, 'no end in sight'],
  ])('ends %o: %s', (dates, told) => {
    expect(endOf(dates)).toBe(told);
  });
});

describe('where work is', () => {
  const at = (pool: number, cluster: number, datastore?: number) =>
    ({
      pool: { id: pool },
      cluster: { id: cluster },
      datastore: datastore ? { id: datastore } : null,
    }) as Place;

  test.each([
    [{ to: 20, cluster: 40 }, at(20, 40), true],
    [{ to: 20, cluster: 40 }, at(20, 45), false],
    [{ to: 50, cluster: 45 }, at(20, 45, 50), true],
    [{ to: 50, cluster: 45 }, at(20, 40, 50), false],
    [{ to: 20, cluster: 45 }, at(20, 45, 50), false],
    [{ to: 50, cluster: null }, at(20, 40, 50), true],
  ])('%o is at %o: %s', (going, place, told) => {
    expect(isThere(going, place)).toBe(told);
  });
});

describe('an intake', () => {
  const draft = { name: 'sonar', tenant: 'Tide Gauges', n_cpus: 4, memory_bytes: 0, disks: [] };
  const share = (n_vms: number, isOld: boolean) => ({
    n_vms,
    pool: { id: 20, name: 'p' },
    cluster: { id: 40, name: 'kelp' },
    datastore: isOld ? { id: 50, name: 'd' } : null,
  });

  test('is a move for each share, numbered where there are several', () => {
    const told = {
      results: [{ spread: [share(3, false), share(2, true)] }, { spread: [] }],
    } as unknown as Together;
    const moves = movesOf(
      [draft, { ...draft, name: 'gauge' }] as unknown as Draft[],
      told,
      new Map([['Tide Gauges', 70]]),
    );
    expect(moves.map((one) => one.fields)).toEqual([
      { name: 'sonar-1', n_vms: 3, disks: [], to: 20, cluster: 40, tenant: 70, n_cpus: 4 },
      { name: 'sonar-2', n_vms: 2, disks: [], to: 50, cluster: 40, tenant: 70, n_cpus: 4 },
    ]);
  });
});

describe('objects', () => {
  test('go through the address and back', () => {
    const params = new URLSearchParams({ first: '2 TiB', growth: '', tiers: 'hot,cold' });
    const { objects, faults } = objectsOf(objectForm(params));
    expect(faults).toEqual({});
    expect(objects).toMatchObject({
      first_bytes: 2 * TIB,
      bytes_a_week: 0,
      tiers: ['hot', 'cold'],
    });
    const one = { bucket: { id: 9, name: 'passes' }, tier: 'cold' } as ObjectCandidate;
    expect(moveOf(objects as Objects, one)).toMatchObject({
      kind: 'place_objects',
      fields: { bucket: 9, tier: 'cold', first_bytes: 2 * TIB },
    });
  });

  test.each([
    ['first', 'many'],
    ['first', '0 B'],
    ['growth', 'fast'],
    ['first', '9999 PiB'],
    ['until', todayIso()],
  ] as const)('say what is wrong with %s “%s”', (name, text) => {
    const told = objectsOf(objectForm(new URLSearchParams({ [name]: text })));
    expect(told.objects).toBeNull();
    expect(Object.keys(told.faults)).toEqual([name]);
  });

  test('a tier is taken out and put in again, and never none is asked for', () => {
    fc.assert(
      fc.property(fc.subarray(TIERS), fc.constantFrom(...TIERS), (some, tier) => {
        const text = some.length === TIERS.length ? '' : some.join(',');
        const once = tiersWith(text, tier);
        const now = once === '' ? TIERS : tiersOf(once);
        expect(now.length).toBeGreaterThan(0);
        if (some.length > 1 && some.length < TIERS.length)
          expect(tiersWith(once, tier)).toBe(once === '' && some.length < 2 ? once : text);
      }),
    );
    expect(tiersWith('', 'hot')).toBe('warm,cold');
    expect(tiersWith('hot', 'hot')).toBe('');
  });

  test.each([
    [{ has_quota: false }, 'no quota ends it'],
    [{ has_quota: true, is_judged: false }, 'not judged: readings too old or too few'],
    [{ has_quota: true, is_judged: true, early_days: null }, 'no end in sight'],
  ])('of which a place is %o: %s', (told, words) => {
    expect(endsOf(told as ObjectCandidate)).toBe(words);
  });
});
