import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { squares, tintOf, type Group } from './area';
import { coastOf } from './coast';
import { ribbon, segmentsOf, type Member } from './strata';

const amounts = fc.integer({ min: 0, max: 10 ** 15 });

function group(names: string[], used: number, more: Partial<Group> = {}): Group {
  return { names, used_bytes: used, ...more } as Group;
}

describe('areas', () => {
  const groups = fc.array(
    fc.record({
      outer: fc.constantFrom('a', 'b', 'c'),
      used: fc.integer({ min: 1, max: 10 ** 9 }),
    }),
    { minLength: 1, maxLength: 25 },
  );

  test('each inner block is as large as its bytes, within the room of its outer one', () => {
    fc.assert(
      fc.property(groups, (told) => {
        const all = told.map((one, at) => group([one.outer, `${at}`], one.used));
        const blocks = squares(all, 1200, 900);
        for (const outer of new Set(told.map((one) => one.outer))) {
          const inner = blocks.filter((one) => !one.isOuter && one.key.startsWith(`${outer}/`));
          const shares = inner.map((one) => (one.width * one.height) / one.group.used_bytes);
          const most = Math.max(...shares);
          if (inner.every((one) => one.width > 1 && one.height > 1))
            for (const share of shares) expect(share / most).toBeCloseTo(1, 5);
        }
        for (const one of blocks) {
          // Slivers may pass the edge by less than what a screen can show.
          expect(one.x).toBeGreaterThanOrEqual(-1e-6);
          expect(one.x + one.width).toBeLessThanOrEqual(1200 + 1);
        }
      }),
    );
  });

  test('every group is drawn once, with one head for each outer one', () => {
    fc.assert(
      fc.property(groups, (told) => {
        const all = told.map((one, at) => group([one.outer, `${at}`], one.used));
        const blocks = squares(all, 1000, 800);
        expect(blocks.filter((one) => !one.isOuter)).toHaveLength(told.length);
        expect(blocks.filter((one) => one.isOuter)).toHaveLength(
          new Set(told.map((one) => one.outer)).size,
        );
      }),
    );
  });

  test('nothing has no area and breaks nothing', () => {
    expect(squares([], 100, 100)).toEqual([]);
    const [head] = squares([group(['a', 'b'], 0)], 100, 100);
    expect(head?.width).toBe(0);
  });

  test.each([
    ['fill', { fill_percent: 91 }, 'tint-over'],
    ['fill', { fill_percent: 80 }, 'tint-5'],
    ['fill', { fill_percent: 50 }, 'tint-2'],
    ['fill', { fill_percent: null }, 'tint-1'],
    ['grown', { grown_bytes: 11 }, 'tint-5'],
    ['grown', { grown_bytes: 6 }, 'tint-3'],
    ['grown', { grown_bytes: -50 }, 'tint-1'],
    ['state', { state: 'urgent' }, 'tint-signal'],
    ['state', { state: 'clear' }, 'tint-1'],
    ['age', { oldest_read_days: 2 }, 'tint-unread'],
    ['age', { oldest_read_days: 1 }, 'tint-1'],
  ] as const)('by %s, %o is %s', (tint, facts, look) => {
    expect(tintOf(tint, group(['a'], 100, facts as Partial<Group>))).toBe(look);
  });
});

describe('strata', () => {
  type Layer = Parameters<typeof segmentsOf>[0];
  const layerOf = (told: number[], rest: number[] = [], nMore = 0, more = 0) =>
    ({
      members: told.map((amount, at) => ({ id: at + 1, name: `m${at + 1}`, amount, n_unread: 0 })),
      remainders: rest.map((amount, at) => ({ what: `r${at}`, amount, n: null })),
      n_more: nMore,
      more_amount: more,
    }) as unknown as Layer;
  const layers = fc.record({
    told: fc.array(amounts, { maxLength: 40 }),
    rest: fc.array(amounts, { maxLength: 2 }),
    nMore: fc.integer({ min: 0, max: 900 }),
    more: amounts,
    height: fc.integer({ min: 200, max: 900 }),
  });

  test('no bytes are lost: what is not drawn by itself is in the gathered piece', () => {
    fc.assert(
      fc.property(layers, ({ told, rest, nMore, more, height }) => {
        const of = layerOf(told, rest, nMore, nMore > 0 ? more : 0);
        const whole = [...told, ...rest, nMore > 0 ? more : 0].reduce((a, b) => a + b, 0);
        const drawn = segmentsOf(of, null, height).reduce((sum, one) => sum + (one.amount ?? 0), 0);
        expect(drawn).toBeCloseTo(whole, -1);
      }),
    );
  });

  test('pieces lie one under the other, none thinner than a line of text', () => {
    fc.assert(
      fc.property(layers, ({ told, rest, nMore, more, height }) => {
        const pieces = segmentsOf(layerOf(told, rest, nMore, more), null, height);
        let bottom = 0;
        for (const one of pieces) {
          expect(one.top).toBeGreaterThanOrEqual(bottom - 1e-6);
          expect(one.height).toBeGreaterThanOrEqual(22);
          bottom = one.top + one.height;
        }
      }),
    );
  });

  test('of two pieces the larger is never the lower', () => {
    const [large, small] = segmentsOf(layerOf([900, 100]), null, 400);
    expect(large?.height).toBeGreaterThan(small?.height ?? 0);
  });

  test('what is chosen is drawn by itself, however small it is', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 60 }), (chosen) => {
        const told = Array.from({ length: 60 }, (_, at) => 10 ** 6 - at);
        const pieces = segmentsOf(layerOf(told), chosen, 300);
        expect(pieces.map((one) => one.member?.id)).toContain(chosen);
      }),
    );
  });

  test('a part that nobody read is told, and drives in no pool have no amount', () => {
    const of = layerOf([5], []);
    (of.members as Member[])[0] = { ...of.members[0], n_unread: 2 } as Member;
    of.remainders.push({ what: 'unpooled', amount: 7, n: 3, size_bytes: null });
    const [member, drives] = segmentsOf(of, null, 300);
    expect([member?.note, drives?.name, drives?.amount]).toEqual([
      '2 parts unread',
      '3 drives in no pool',
      null,
    ]);
  });

  test('a ribbon closes', () => {
    expect(ribbon({ top: 1, height: 2 }, { top: 5, bottom: 9 }, 10)).toMatch(/^M0 1C.*V9C.*Z$/);
  });
});

describe('the coast', () => {
  test('is the same for the same sites, with a place for each on its shore', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 12 }), (n) => {
        const told = coastOf(n, 800, 600);
        expect(coastOf(n, 800, 600)).toEqual(told);
        expect(told.places).toHaveLength(n);
        for (const { x, y } of told.places) {
          expect(x).toBeGreaterThan(0);
          expect(x).toBeLessThan(800);
          expect(y).toBeLessThan(600);
        }
      }),
    );
  });
});
