import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { refusalOf } from '$lib/api/refusal';
import { addDays, todayIso } from '$lib/format';
import { differenceOf } from './feeds/differences';
import { groupsOf, ORDER } from './feeds/findings';
import { fieldOf, missingIn, withField, withUnit, wordOf } from './feeds/sheet';
import { formOf, told } from './feeds/form';
import { inColumns, othersOf } from './feeds/kinds';
import { changesOf } from './people/changes';
import { mayOf, ofTenants, ROLES } from './people/roles';
import { figuresOfBooks, figuresOfEnd, type Books } from './thing/figures';
import { contributedIn, growthOf, spanOf, windowOf, WINDOWS } from './thing/windows';
import { grouped } from './today/reaches';

describe('a table that is mapped', () => {
  const none = { columns: {} } as never;
  const fields = fc.constantFrom('name', 'used_bytes', 'pool_uid', 'read_at');
  const columns = fc.constantFrom('A', 'B', 'C', 'D');

  test('each column fills one field and each field is filled by one column', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(columns, fields), { maxLength: 12 }), (steps) => {
        let mapping = none as Parameters<typeof withField>[0];
        for (const [column, field] of steps) {
          mapping = withField(mapping, column, field);
          expect(fieldOf(mapping, column)).toBe(field);
        }
        const filled = Object.values(mapping.columns).map((one) => one.column);
        expect(new Set(filled).size).toBe(filled.length);
      }),
    );
  });

  test('bytes keep their unit from field to field, other fields have none', () => {
    const bytes = withUnit(withField(none, 'A', 'used_bytes'), 'used_bytes', 'TiB');
    expect(withField(bytes, 'A', 'size_bytes').columns).toEqual({
      size_bytes: { column: 'A', unit: 'TiB' },
    });
    expect(withField(bytes, 'A', 'name').columns).toEqual({ name: { column: 'A', unit: '' } });
    expect(withField(bytes, 'A', '').columns).toEqual({});
    expect(withUnit(bytes, 'nothing', 'GB')).toBe(bytes);
  });

  test('what is wanted still is told in words', () => {
    const wanted = [
      { name: 'pool_uid', is_required: true },
      { name: 'n_cpus', is_required: true },
      { name: 'site', is_required: false },
    ];
    expect(missingIn(none, wanted as never)).toEqual(['pool', 'cpus']);
    expect(['read_at', 'size_bytes', 'is_thick'].map(wordOf)).toEqual(['read', 'size', 'is thick']);
  });
});

describe('feeds', () => {
  test('kinds stand in their columns, all others in the last', () => {
    const covers = { array: 1, port: 8, shelf: 2 };
    expect(inColumns(covers).slice(0, 2)).toEqual([1, null]);
    expect(inColumns(covers).at(-1)).toBe(10);
    expect(othersOf({ array: 1, port: 8, shelf: 1 })).toBe('8 ports, 1 shelf');
    expect(inColumns({ pool: 3 }).at(-1)).toBeNull();
  });

  const run = (more: object) =>
    ({ n_new: {}, n_retired: {}, n_grown: {}, n_changed: {}, ...more }) as never;

  test.each([
    [{}, 'nothing differs'],
    [{ n_changed: { pool: 3, vm: 1 } }, '4 read anew'],
    [{ n_new: { volume: 3, vm: 0 }, n_retired: { vm: 1 } }, '+3 volumes, −1 VM'],
    [{ n_grown: { volume: 12 } }, '12 volumes grown'],
  ])('a run with %o: %s', (more, words) => {
    expect(differenceOf(run(more))).toBe(words);
  });

  test('findings stand by kind, what may cost data first', () => {
    const finding = (kind: string) => ({ kind, why: `why ${kind}` }) as never;
    const groups = groupsOf(['loose-end', 'mirror-side-lost', 'loose-end', 'odd'].map(finding));
    expect(groups.map((one) => [one.kind, one.findings.length, one.isGrave])).toEqual([
      ['mirror-side-lost', 1, true],
      ['loose-end', 2, false],
    ]);
    expect(ORDER[0]).toBe('mirror-side-lost');
  });

  test('the form of one that is there shows no secret, and its options as they are', () => {
    const feed = { name: 'heron-1', addresses: ['a', 'b'], options: { folder: 'x' }, user: 'u' };
    const form = formOf(feed as never);
    expect([form.addresses, form.password, form.writer_password]).toEqual(['a\nb', '', '']);
    expect(JSON.parse(form.options)).toEqual(feed.options);
    expect(formOf(null).options).toBe('');
    expect(told({ a: 1 })).toContain('\n');
  });
});

describe('the log', () => {
  test('tells what differs alone, in words', () => {
    const before = { is_active: true, name: 'a', tenants: [], at: null, kept: 1 };
    const after = { is_active: false, name: 'a', tenants: ['Tide Gauges'], at: '', kept: 1 };
    expect(changesOf(before, after)).toEqual([
      { name: 'in service', before: 'yes', after: 'no' },
      { name: 'tenants', before: 'none', after: 'Tide Gauges' },
      { name: 'at', before: 'nothing', after: 'nothing' },
    ]);
    expect(changesOf(null, { name: 'a' })).toEqual([{ name: 'name', before: null, after: 'a' }]);
    expect(changesOf({ x: 'y'.repeat(90) }, null)[0]?.before).toHaveLength(61);
  });

  test('roles say what they may', () => {
    for (const { role, may } of ROLES) expect(mayOf(role)).toBe(may);
    expect(mayOf(null)).toContain('nothing');
    expect(ROLES.filter((one) => ofTenants(one.role))).toHaveLength(2);
  });
});

describe('a refusal', () => {
  test('tells what is wrong with a field, and what stands there by now', () => {
    const one = refusalOf(412, {
      type: '/problems/changed-meanwhile',
      title: 'Changed',
      detail: 'Somebody was first.',
      errors: [{ pointer: '#/name', detail: 'taken' }],
      stands: { version: 'v2' },
    });
    expect([one.kind, one.of('name'), one.of('size'), one.standing, one.message]).toEqual([
      'changed-meanwhile',
      'taken',
      undefined,
      'v2',
      'Somebody was first.',
    ]);
  });

  test.each([null, 'a text', 7, [], { detail: 3, errors: 'many' }])(
    'of %o is still told',
    (body) => {
      const one = refusalOf(500, body);
      expect([one.title, one.faults, one.standing]).toEqual(['Error 500', [], null]);
      expect(one.detail).toContain('server failed');
    },
  );
});

describe('the page of a thing', () => {
  const books = {
    used_bytes: 1024 ** 4,
    free_bytes: null,
    plannable_bytes: -1024,
    overcommit_percent: 151.6,
    exposure_bytes: 0,
    is_shared_out: true,
  } as unknown as Books;

  test('shows its books, what nobody shares out without promises', () => {
    expect(figuresOfBooks(books).map((one) => [one.name, one.shown])).toEqual([
      ['used', '1.00 TiB'],
      ['free', '–'],
      ['plannable', '−1.00 KiB'],
      ['overcommit', '152 %'],
      ['exposure', '0 B'],
    ]);
    expect(figuresOfBooks({ ...books, is_shared_out: false })).toHaveLength(2);
  });

  test('says when it ends and that its order is late', () => {
    const ending = {
      attention: 'urgent',
      attention_because: 'why',
      limit: { early_on: '1999-01-01', likely_on: '1999-01-02', late_on: null },
      order_by_on: '1998-12-01',
      lead_time_days: 30,
    };
    const [ends, order] = figuresOfEnd(ending as never);
    expect([ends?.shown, ends?.isUrgent]).toEqual(['Sat 2 Jan 1999', true]);
    expect(order?.shown).toBe('past, Tue 1 Dec 1998');
    const none = figuresOfEnd({ ...ending, attention: 'clear', order_by_on: null } as never);
    expect(none[1]?.shown).toBe('–');
  });

  test.each([
    [null, '90d'],
    ['1y', '1y'],
    ['a week', '90d'],
  ])('the window “%s” is %s', (key, found) => {
    expect(windowOf(key).key).toBe(found);
    expect(WINDOWS.map((one) => one.days)).toEqual(
      [...WINDOWS.map((one) => one.days)].sort((a, b) => a - b),
    );
  });

  test.each([
    ['2026-01-01..2026-02-01', ['2026-01-01', '2026-02-01']],
    ['2026-02-01..2026-01-01', null],
    ['2026-01-01..', null],
    [null, null],
  ])('the span “%s” is %o', (text, span) => {
    expect(spanOf(text)).toEqual(span);
  });

  test('growth is asked for over a span that was, else over the window', () => {
    const today = todayIso();
    expect(contributedIn(null, 30)).toEqual([30, null]);
    expect(contributedIn([addDays(today, 5), addDays(today, 9)], 30)).toEqual([30, null]);
    expect(contributedIn([addDays(today, -20), addDays(today, -5)], 30)).toEqual([
      15,
      addDays(today, -5),
    ]);
    expect(contributedIn([addDays(today, -20), addDays(today, 5)], 30)).toEqual([20, null]);
    expect([growthOf('1.5'), growthOf('7'), growthOf(null)]).toEqual([1.5, 1, 1]);
  });

  test('pools stand by how far they reach, groups without one are left out', () => {
    const pool = (reach: string) => ({ reach }) as never;
    expect(
      grouped(['no_end', 'inside_lead_time', 'no_end'].map(pool)).map((one) => one.title),
    ).toEqual(['Inside lead time', 'No end in sight']);
  });
});
