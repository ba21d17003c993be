import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { isPlain, narrowed, siftOf, termsOf, toggled, widened, type Term } from './sift';
import { termsTo } from './terms';
import { isBorn, pathOf } from './things';

const words = fc.stringMatching(/^[a-z][a-z0-9·-]{0,9}( [a-z0-9]{1,5})?$/);
const term: fc.Arbitrary<Term> = fc.record({
  key: fc.option(fc.constantFrom('pool', 'site', 'tenant', 'state')),
  text: words,
  isExcluding: fc.boolean(),
});
const terms = fc.array(term, { maxLength: 5 });

describe('a sift', () => {
  test('is read back as it was written', () => {
    fc.assert(
      fc.property(terms, (told) => {
        expect(termsOf(siftOf(told))).toEqual(told);
        expect(isPlain(siftOf(told))).toBe(true);
      }),
    );
  });

  test('a term that is put in twice is gone again, and others stay', () => {
    fc.assert(
      fc.property(terms, term, (told, one) => {
        const others = told.filter((each) => each.key !== one.key || each.text !== one.text);
        const once = toggled(others, one);
        expect(once).toContainEqual(one);
        expect(toggled(once, one)).toEqual(others);
        const turned = { ...one, isExcluding: !one.isExcluding };
        expect(toggled(once, turned)).toEqual([...others, turned]);
      }),
    );
  });

  test.each([
    ['a or b', false],
    ['(a)', false],
    ['site:Skerry -pool:x', true],
    ['"sand or shingle"', true],
    ['not a', false],
    ['android organ', true],
  ])('“%s” is plain: %s', (sift, told) => {
    expect(isPlain(sift)).toBe(told);
  });

  test.each([
    ['a:b', false, ''],
    ['a:b', true, '-a:b'],
    ['a:c', false, 'a:c a:b'],
    ['-class:"Very Deep" heron', false, '-class:"Very Deep" heron a:b'],
  ])('“%s” with a:b toggled, excluding: %s, is “%s”', (sift, isExcluding, told) => {
    expect(siftOf(toggled(termsOf(sift), { key: 'a', text: 'b', isExcluding }))).toBe(told);
  });

  test('what is joined by words is kept whole when it is narrowed, and is one step back', () => {
    const one = { key: 'site', text: 'Skerry', isExcluding: true };
    expect(narrowed('a or b', one)).toBe('(a or b) -site:Skerry');
    expect(narrowed('a', one)).toBe('a -site:Skerry');
    expect(widened('a or b')).toBe('');
    expect(widened('a b')).toBe('a');
  });

  test('words that mean something are quoted', () => {
    expect(siftOf([{ key: null, text: 'or', isExcluding: false }])).toBe('"or"');
    expect(siftOf([{ key: 'tenant', text: 'Tide Gauges', isExcluding: false }])).toBe(
      'tenant:"Tide Gauges"',
    );
  });

  test('a pool below its array is named with it, anything else alone', () => {
    const pool = { kind: 'pool', name: 'swift-1' };
    expect(termsTo(pool, { kind: 'array', name: 'heron-1' }, false)[0]?.text).toBe(
      'heron-1·swift-1',
    );
    expect(termsTo(pool, { kind: 'site', name: 'Skerry' }, true)[0]).toEqual({
      key: 'pool',
      text: 'swift-1',
      isExcluding: true,
    });
  });
});

describe('paths', () => {
  const born = 2 ** 52 + 3;
  test.each([
    [{ id: 7, kind: 'pool' }, 'used', '/pools/7'],
    [{ id: 7, kind: 'pool' }, 'provisioned', '/things/7?metric=provisioned'],
    [{ id: 7, kind: 'vm' }, 'used', '/things/7'],
    [{ id: born, kind: 'pool' }, 'used', `/things/${born}`],
  ])('%o at %s', (thing, metric, path) => {
    expect(pathOf(thing, metric)).toBe(path);
  });

  test('what a move brings is told by its number', () => {
    expect([isBorn(born), isBorn(2 ** 52 - 1)]).toEqual([true, false]);
  });
});
