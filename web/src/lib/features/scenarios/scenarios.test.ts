import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import type { Ask, MoveKind } from '$lib/api/scenarios';
import { addDays, todayIso } from '$lib/format';
import { bytesTyped, standOf, type Drawn } from './allotments';
import { movesOf, type Draft, type Together } from './intake';
import { byDay, disksOf, emptyForm, fieldsOf, formOf, putBefore } from './moves';
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
import { deedOf, isMoving, valuesOf, type Order, type Step } from './orders';
import { amountOf, endOf, missesOf, reasonOf, type Candidate, type Margin } from './placements';
import { changesOf, costOf, money, priceText, priceTyped, type ClassCosts } from './prices';
import type { Move } from './queries';
import { disksText, formOf as workloadForm, workloadOf } from './workload';

const TIB = 1024 ** 4;

function ask(name: string, form: Ask['form'], more: Partial<Ask> = {}): Ask {
  return {
    name,
    label: name,
    form,
    kinds: [],
    choices: [],
    is_optional: false,
    about: '',
    without: null,
    ...more,
  } as Ask;
}

const kindOf = (...asks: Ask[]) =>
  ({ kind: 'x', title: 'X', about: '', asks }) as unknown as MoveKind;
const NO_FORM = { texts: {}, things: {}, disks: [] };

describe('the form of a move', () => {
  const pool = { id: 4, kind: 'pool', name: 'swift-1' };
  const vms = [1, 2, 3].map((id) => ({ id, kind: 'vm', name: `vm-${id}` }));

  test('begins with what it has without being told, and what is put into it', () => {
    const kind = kindOf(
      ask('n', 'count', { without: '3' }),
      ask('what', 'things', { kinds: ['vm'] }),
    );
    const told = emptyForm(kind, [...vms, pool]);
    expect(told.texts).toEqual({ n: '3' });
    expect(told.things['what']).toEqual(vms);
    const one = emptyForm(kindOf(ask('to', 'thing', { kinds: ['vm'] })), vms);
    expect(one.things['to']).toEqual(vms.slice(0, 1));
  });

  test.each([
    ['bytes', '1.5 TiB', 1.5 * TIB],
    ['bytes_a_week', '-9 GiB', -9 * 1024 ** 3],
    ['bytes_a_week', '−9 GiB', -9 * 1024 ** 3],
    ['bytes_a_week', '+9 GiB', 9 * 1024 ** 3],
    ['count', '12 000', 12_000],
    ['name', ' sonar ', 'sonar'],
  ] as const)('reads %s “%s”', (form, text, value) => {
    const told = fieldsOf(kindOf(ask('f', form as Ask['form'])), {
      ...NO_FORM,
      texts: { f: text },
    });
    expect(told).toEqual({ fields: { f: value }, faults: {} });
  });

  test.each([
    ['bytes', '-9 GiB'],
    ['bytes', 'many'],
    ['count', '1.5'],
    ['count', '-1'],
  ] as const)('says what is wrong with %s “%s”', (form, text) => {
    const told = fieldsOf(kindOf(ask('f', form as Ask['form'])), {
      ...NO_FORM,
      texts: { f: text },
    });
    expect(told.fields).toEqual({});
    expect(told.faults['f']).not.toBe('');
  });

  test('wants what is not optional, and leaves out what is', () => {
    const kind = kindOf(ask('a', 'count'), ask('b', 'count', { is_optional: true }));
    expect(fieldsOf(kind, NO_FORM)).toEqual({ fields: {}, faults: { a: 'Wanted.' } });
  });

  test('of a move that there is writes the same fields again', () => {
    const kind = kindOf(
      ask('pool', 'thing', { kinds: ['pool'] }),
      ask('size', 'bytes'),
      ask('n', 'count'),
      ask('disks', 'disks'),
    );
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 2 ** 50 }),
        fc.integer({ min: 0, max: 10 ** 6 }),
        fc.integer({ min: 0, max: 100 }),
        fc.constantFrom('iec' as const, 'si' as const),
        (size, n, written, system) => {
          const disk = {
            size_bytes: size,
            written_percent: written,
            bytes_a_week: n,
            is_thick: false,
            min_iops: n,
            busy_iops: 0,
          };
          const fields = { pool: 4, size, n, disks: [disk] };
          const move = { fields, things: [pool] } as unknown as Move;
          expect(fieldsOf(kind, formOf(kind, move, system))).toEqual({ fields, faults: {} });
        },
      ),
    );
  });

  test.each([
    [{ size: '' }, 'size'],
    [{ growth: 'fast' }, 'growth'],
    [{ written: '101' }, 'percent'],
    [{ least: '1.5' }, 'operations'],
  ])('a disk with %o is told with its number', (spoilt, says) => {
    const good = { size: '1 TiB', written: '30', growth: '', isThick: false, least: '', busy: '' };
    expect(disksOf([good])).toHaveLength(1);
    const told = disksOf([good, { ...good, ...spoilt }]) as { fault: string };
    expect(told.fault).toContain('Disk 2');
    expect(told.fault).toContain(says);
  });
});

describe('moves in their order', () => {
  const moves = fc
    .uniqueArray(fc.integer({ min: 1, max: 30 }), { minLength: 2 })
    .map((numbers) =>
      numbers.map((number, at) => ({ number, on: addDays('2026-11-23', (at * 7) % 5) })),
    );

  test('one that is put before another stands there, on its day; nothing is lost', () => {
    fc.assert(
      fc.property(moves, fc.nat(), fc.nat(), (told, a, b) => {
        const [moved, before] = [told[a % told.length], told[b % told.length]];
        if (!moved || !before || moved === before) return;
        const after = putBefore(told, moved.number, before.number);
        const at = after.findIndex((one) => one.number === moved.number);
        expect(after[at + 1]?.number).toBe(before.number);
        expect(after[at]?.on).toBe(before.on);
        expect(after.map((one) => one.number).sort()).toEqual(told.map((one) => one.number).sort());
        expect(putBefore(told, moved.number, null).at(-1)).toEqual(moved);
        expect(putBefore(told, 99, before.number)).toBe(told);
      }),
    );
  });

  test('stand by their days, those of one day as they were', () => {
    fc.assert(
      fc.property(moves, (told) => {
        const sorted = byDay(told as unknown as Move[]);
        const days = sorted.map((one) => one.on);
        expect([...days].sort()).toEqual(days);
        for (const on of new Set(days))
          expect(sorted.filter((one) => one.on === on).map((one) => one.number)).toEqual(
            told.filter((one) => one.on === on).map((one) => one.number),
          );
      }),
    );
  });
});

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
      { name: 'sonar-2', n_vms: 2, disks: [], to: 50, tenant: 70, n_cpus: 4 },
    ]);
  });
});

describe('a work order', () => {
  const step = (more: object) =>
    ({ kind: 'create volume', values: {}, ...more }) as unknown as Step;

  test.each([
    [{ waits: { what: 'far end' }, carrying: null }, true],
    [{ waits: { what: 'reading' }, carrying: { by: 'me' } }, true],
    [{ waits: { what: 'hand' }, carrying: { by: 'me' } }, false],
    [{ waits: { what: 'day' }, carrying: { by: 'me' } }, false],
    [{ waits: { what: 'reading' }, carrying: null }, false],
  ])('%o is under way: %s', (order, told) => {
    expect(isMoving(order as unknown as Order)).toBe(told);
  });

  test('what is lost by a deed is typed, there and back', () => {
    const made = step({ values: { name: 'v1' }, carriage: { confirms: '' } });
    expect(deedOf(made, true).confirms).toBe('v1');
    expect(deedOf(made, false).confirms).toBe('');
    expect(deedOf(step({ kind: 'remove', carriage: { confirms: 'v1' } }), false).confirms).toBe(
      'v1',
    );
    expect(deedOf(step({ kind: 'remove' }), true).confirms).toBe('');
  });

  test('its values are told exactly, long lists by their ends', () => {
    const told = Object.fromEntries(
      valuesOf(
        step({
          values: {
            name: 'v',
            size_bytes: TIB,
            disks: ['1024', '1024'],
            names: Array.from({ length: 24 }, (_, at) => `v-${at + 1}`),
            pool_id: 4,
          },
        }),
        (amount) => `${amount / TIB} TiB`,
      ),
    );
    expect(told['size']).toBe('1 TiB, 1,099,511,627,776 bytes');
    expect(told['names']).toBe('v-1 to v-24');
    expect(told['disks of each']).toContain('1,024 bytes');
    expect(told).not.toHaveProperty('pool_id');
  });
});

describe('an allotment', () => {
  test.each([
    [{ is_leaving: true }, 'is given back'],
    [{ stopped: 'no room', is_made: false }, 'stopped'],
    [{ stopped: 'no room', is_made: true }, 'made'],
    [{ is_read: true }, 'volume is there'],
    [{}, 'being made'],
  ])('of which a volume is %o: %s', (told, words) => {
    expect(standOf(told as Drawn)).toBe(words);
  });

  test.each(['', '0 TiB', 'x'])('“%s” is no size', (text) => {
    expect(bytesTyped(text)).toEqual({ bytes: null, fault: expect.stringContaining('20 TiB') });
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

describe('prices', () => {
  const swift = { promised_bytes: 10 * TIB, written_bytes: 4 * TIB } as ClassCosts;

  test.each([
    ['42', '42'],
    [' 42,5 ', '42.5'],
    ['0.0001', '0.0001'],
    ['', null],
    ['-1', undefined],
    ['1e3', undefined],
    ['0.00001', undefined],
    ['many', undefined],
  ])('“%s” is read as %s', (text, price) => {
    expect(priceTyped(text)).toBe(price);
  });

  test('what is shown of a price is read as the same price', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 10 ** 9 }), (n) => {
        const price = (n / 10 ** 4).toFixed(4);
        expect(Number(priceTyped(priceText(price)))).toBe(Number(price));
      }),
    );
    expect(priceText(null)).toBe('');
  });

  test('bytes cost what their basis says', () => {
    expect(costOf(swift, '40', 'promised')).toBe(400);
    expect(costOf(swift, '40', 'written')).toBe(160);
    expect(costOf(swift, null, 'written')).toBeNull();
    expect(costOf({ ...swift, promised_bytes: null }, '40', 'promised')).toBeNull();
  });

  test.each([
    [null, '–'],
    [3.456, '3.46 crowns'],
    [40, '40 crowns'],
    [12_345.6, '12\u202f346 crowns'],
  ])('%s is %s', (amount, told) => {
    expect(money(amount, 'crowns')).toBe(told);
  });

  test('a revision tells what it has otherwise', () => {
    const one = (by_class: Record<string, string>, more: object = {}) =>
      ({ by_class, basis: 'promised', currency: 'crowns', ...more }) as never;
    expect(changesOf(one({ Swift: '42' }), undefined)).toEqual(['Swift 42']);
    expect(
      changesOf(
        one({ Swift: '42', Deep: '9' }, { basis: 'written' }),
        one({ Swift: '46', Odd: '1' }),
      ),
    ).toEqual(['Swift 46 → 42', 'Odd 1 → none', 'Deep none → 9', 'of written bytes']);
  });
});
