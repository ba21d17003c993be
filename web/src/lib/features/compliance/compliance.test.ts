import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { added, draftOf, minutesOf, timeOf, TIME_UNITS } from './drafts';
import { laneScale } from './lane-scale';
import type { RuleKind } from './queries';
import { keptOfPolicy, keptOfTier } from './revisions';
import { canBeRighted, changeOf, everyWords, figure, pairOf, underWay } from './righting';
import { tierDraftOf, triedOf, triesTold, type Offer, type Tier, type TierRevision } from './tiers';

const tiers = [
  { id: 3, newest: { min_iops: 400, max_iops: 1500 } },
  { id: 4, newest: { min_iops: 50, max_iops: 300 } },
] as unknown as Tier[];

describe('limits that are tried', () => {
  test('are told by an address and read from it again', () => {
    const maximum = fc.integer({ min: 1, max: 10 ** 6 });
    fc.assert(
      fc.property(fc.constantFrom(...tiers), maximum, maximum, (tier, one, other) => {
        const first = triesTold([], tier, one);
        const tried = triedOf(first, tiers);
        if (one === tier.newest.max_iops) expect(tried).toEqual([]);
        else expect(tried[0]).toMatchObject({ tier_id: tier.id, max_iops: one });
        // Tried anew it is the newer alone; as it stands it is not tried any more.
        const again = triedOf(triesTold(tried, tier, other), tiers);
        expect(again.length).toBe(other === tier.newest.max_iops ? 0 : 1);
        expect(triesTold(tried, tier, tier.newest.max_iops)).toBe('');
        for (const limit of again) expect(limit.min_iops).toBeLessThanOrEqual(limit.max_iops);
      }),
    );
  });

  test.each(['', '9:400', '3:0', '3:-5', '3', 'x:y', '3:many'])('“%s” tries nothing', (told) => {
    expect(triedOf(told, tiers)).toEqual([]);
  });
});

describe('a scale of operations', () => {
  const lane = (min: number, most: number | null) =>
    ({ min_iops: min, limit_iops: null, most_iops: most, mean_iops: null }) as never;

  test('keeps order, stays within its edges and marks whole powers of ten', () => {
    const iops = fc.integer({ min: 1, max: 10 ** 7 });
    fc.assert(
      fc.property(fc.array(fc.tuple(iops, iops), { minLength: 1 }), iops, iops, (told, a, b) => {
        const scale = laneScale(told.map(([min, most]) => lane(min, most)));
        expect(scale.at(Math.min(a, b))).toBeLessThanOrEqual(scale.at(Math.max(a, b)));
        for (const at of [scale.at(a), ...scale.marks.map((one) => one.at)]) {
          expect(at).toBeGreaterThanOrEqual(2);
          expect(at).toBeLessThanOrEqual(98);
        }
        for (const mark of scale.marks) expect(Math.log10(mark.iops) % 1).toBeCloseTo(0);
      }),
    );
  });

  test('of nothing goes from one to ten', () => {
    expect(laneScale([]).marks.length).toBe(2);
    expect(laneScale([lane(0, null)]).at(0)).toBe(2);
  });
});

describe('times that are typed', () => {
  test('say the same minutes in the largest unit that tells them', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 10 ** 6 }), (minutes) => {
        const told = timeOf(minutes);
        expect(minutesOf(told.amount, told.unit)).toBe(minutes);
        expect(Number.isInteger(told.amount)).toBe(true);
        const larger = TIME_UNITS.filter((one) => one.minutes > minutesOf(1, told.unit));
        for (const unit of larger) expect(minutes % unit.minutes).not.toBe(0);
      }),
    );
  });
});

describe('drafts', () => {
  const kind = {
    kind: 'rpo',
    params: [
      { name: 'minutes', form: 'minutes', choices: [] },
      { name: 'n_devices', form: 'count', choices: [] },
      { name: 'where', form: 'text', choices: ['near', 'far'] },
    ],
  } as unknown as RuleKind;

  test('a rule begins with something in every parameter', () => {
    expect(added(kind)).toEqual({
      kind: 'rpo',
      told: { minutes: 1440, n_devices: 1, where: 'near' },
    });
  });

  test('a draft begins with a revision, or with nothing', () => {
    expect(draftOf(null)).toEqual({ rules: [], settling_minutes: 60, note: '' });
    const newest = {
      rules: [{ kind: 'rpo', told: { minutes: 5 }, wants: 'x' }],
      settling_minutes: 9,
    };
    expect(draftOf(newest as never)).toEqual({
      rules: [{ kind: 'rpo', told: { minutes: 5 } }],
      settling_minutes: 9,
      note: '',
    });
    expect(tierDraftOf(null)).toMatchObject({ min_iops: 0, max_iops: 1000, burst: 2 });
    const tier = { min_iops: 5, max_iops: 9, burst: 1, is_together: true, latency_ms: 3 };
    expect(tierDraftOf(tier as TierRevision)).toMatchObject({ ...tier, note: '' });
  });

  test('revisions stand beside each other line by line', () => {
    const policy = {
      number: 2,
      rules: [
        { kind: 'b', wants: 'two' },
        { kind: 'a', wants: 'one' },
      ],
      settling_minutes: 30,
    };
    const told = keptOfPolicy(policy as never, new Map([['a', 'first rule']])).told;
    expect([...told]).toEqual([
      ['first rule', 'one'],
      ['b', 'two'],
      ['what changed is judged after', '30 min'],
    ]);
    const tier = {
      min_iops: 400,
      max_iops: 1500,
      burst: 1,
      is_together: true,
      max_bytes_per_second: 1024 ** 2,
      latency_ms: 4,
    };
    const lines = Object.fromEntries(keptOfTier(tier as TierRevision).told);
    expect(lines['an instant may pass the maximum']).toBe('not at all');
    expect(lines['holds for']).toBe('all its disks together');
    expect(lines['at most, bytes a second']).toBe('1.00 MiB');
    expect(lines['latency']).toBe('within 4 ms');
  });
});

describe('setting right', () => {
  const offer = (more: object) =>
    ({ id: 7, set_min_iops: 400, set_max_iops: null, change: null, ...more }) as unknown as Offer;

  test.each([
    [400, 1500, '400 / 1\u202f500'],
    [null, 3.6, '– / 4'],
    [undefined, 0, '– / 0'],
  ])('%s and %s are told as %s', (least, most, told) => {
    expect(pairOf(least, most)).toBe(told);
    expect(figure(null)).toBe('–');
  });

  test('goes from what was seen to what is wanted', () => {
    expect(changeOf(offer({}), { least: 5, most: 9 })).toEqual({
      entity_id: 7,
      was: { min_iops: 400, max_iops: 0 },
      wanted: { min_iops: 5, max_iops: 9 },
    });
  });

  test.each([
    [{ is_drifted: true, left_alone: '' }, true],
    [{ is_drifted: true, left_alone: 'it is moved' }, false],
    [{ is_drifted: false, left_alone: '' }, false],
  ])('%o can be: %s', (told, can) => {
    expect(canBeRighted(offer(told))).toBe(can);
  });

  test.each([
    [null, {}, ''],
    ['sending', {}, 'is being set: 1 / 2'],
    ['set', { is_awaited: true }, 'set to 1 / 2, not collected since'],
    ['set', { is_awaited: false }, ''],
  ])('a change that is %s with %o: “%s”', (state, more, told) => {
    const change = state && { state, wanted: { min_iops: 1, max_iops: 2 } };
    expect(underWay(offer({ change, ...more }))).toBe(told);
  });

  test('by itself, or off', () => {
    expect([everyWords(null), everyWords(900)]).toEqual(['off', 'every 15 min']);
  });
});
