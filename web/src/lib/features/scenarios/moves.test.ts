import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import type { Ask, MoveKind } from '$lib/api/scenarios';
import { addDays } from '$lib/format';
import { byDay, disksOf, emptyForm, fieldsOf, formOf, putBefore } from './moves';
import type { Move } from './queries';

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
