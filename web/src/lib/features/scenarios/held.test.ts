import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { bytesTyped, standOf, type Drawn } from './allotments';
import { deedOf, isMoving, valuesOf, type Order, type Step } from './orders';
import { changesOf, costOf, money, priceText, priceTyped, type ClassCosts } from './prices';

const TIB = 1024 ** 4;

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
    [{ is_planned: true, steps: [] }, 'planned'],
    [{ is_planned: true, steps: [{}] }, 'being made'],
  ])('of which a volume is %o: %s', (told, words) => {
    expect(standOf(told as Drawn)).toBe(words);
  });

  test.each(['', '0 TiB', 'x'])('“%s” is no size', (text) => {
    expect(bytesTyped(text)).toEqual({ bytes: null, fault: expect.stringContaining('20 TiB') });
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
