import { queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, type Schemas } from '$lib/api/client';
import { keys } from '$lib/api/queries';
import { addDays, formatDay, parseBytes, todayIso } from '$lib/format';
import type { Ground } from './placements';
import type { MoveWrite } from './queries';

export type Objects = Schemas['ObjectsWriteRequest'];
export type ObjectPlacement = Schemas['ObjectPlacementRead'];
export type ObjectCandidate = ObjectPlacement['candidates'][number];
export type Tier = ObjectCandidate['tier'];

export const TIERS: Tier[] = ['hot', 'warm', 'cold'];
const YEAR_DAYS = 365;

/** What the form holds: texts as typed. */
export interface Form {
  first: string;
  growth: string;
  until: string;
  tiers: string; // with commas; nothing: all
}
export type Faults = Partial<Record<keyof Form, string>>;

export function formOf(params: URLSearchParams): Form {
  const told = (name: keyof Form, fallback: string) => params.get(name) ?? fallback;
  return {
    first: told('first', '20 TiB'),
    growth: told('growth', '200 GiB'),
    until: told('until', addDays(todayIso(), YEAR_DAYS)),
    tiers: told('tiers', ''),
  };
}

export const tiersOf = (text: string) => TIERS.filter((one) => text.split(',').includes(one));

/** The tiers with one more or one less; all of them are told as none. */
export function tiersWith(text: string, tier: Tier): string {
  const now = text === '' ? TIERS : tiersOf(text);
  const next = now.includes(tier) ? now.filter((one) => one !== tier) : [...now, tier];
  return next.length === TIERS.length || next.length === 0
    ? ''
    : TIERS.filter((one) => next.includes(one)).join(',');
}

/** What a form asks for, or what is wrong with which field. */
export function objectsOf(form: Form): { objects: Objects | null; faults: Faults } {
  const faults: Faults = {};
  const first = parseBytes(form.first);
  if (!first) faults.first = 'A number and a unit, such as 20 TiB, below 8 EiB.';
  const growth = form.growth.trim() === '' ? 0 : parseBytes(form.growth);
  if (growth === null)
    faults.growth = 'A number and a unit, such as 200 GiB, or nothing; below 8 EiB.';
  if (!/^\d{4}-\d{2}-\d{2}$/.test(form.until) || form.until <= todayIso())
    faults.until = 'A date after today.';
  if (!first || growth === null || faults.until) return { objects: null, faults };
  return {
    objects: {
      first_bytes: first,
      bytes_a_week: growth,
      last_until_on: form.until,
      tiers: tiersOf(form.tiers),
    },
    faults,
  };
}

export function objectPlacementQuery(objects: Objects | null, { scope, scenario }: Ground) {
  const query = { ...(scope ? { scope } : {}), ...(scenario ? { scenario } : {}) };
  return queryOptions({
    queryKey: [...keys.placement, 'objects', objects, query],
    queryFn: () =>
      bodyOf(
        api.POST('/api/v1/placements/objects', {
          params: { query },
          body: objects as Objects,
        }),
      ),
    enabled: objects !== null,
  });
}

/** The move that puts them there. */
export function moveOf(objects: Objects, one: ObjectCandidate): MoveWrite {
  return {
    on: addDays(todayIso(), 1),
    kind: 'place_objects',
    fields: {
      bucket: one.bucket.id,
      tier: one.tier,
      first_bytes: objects.first_bytes,
      ...(objects.bytes_a_week ? { bytes_a_week: objects.bytes_a_week } : {}),
    },
    is_off: false,
    note: '',
  };
}

/** How its account fares with all of them in. */
export function endsOf(one: ObjectCandidate): string {
  if (!one.has_quota) return 'no quota ends it';
  if (!one.is_judged) return 'not judged: readings too old or too few';
  if (one.early_days === null) return 'no end in sight';
  return `${formatDay(addDays(todayIso(), Math.round(one.early_days)))}, bad case`;
}
