import { formatDay } from '$lib/format';

const NAMES: Record<string, string> = {
  is_active: 'in service',
  is_paused: 'paused',
  has_new_password: 'a new password',
  every_minutes: 'every, minutes',
  allowed_age_hours: 'unread after, hours',
  timeout_seconds: 'patience, seconds',
  ca_certificate: 'own authority',
};
const MAX_WORDS = 60;
const MOMENT = /^\d{4}-\d\d-\d\dT\d\d:\d\d/;

type Facts = Record<string, unknown> | null | undefined;

export interface Change {
  name: string;
  before: string | null; // null: there was nothing to compare with
  after: string | null;
}

/** What a write changed: only what differs, in words. */
export function changesOf(before: Facts, after: Facts): Change[] {
  const names = [...new Set([...Object.keys(before ?? {}), ...Object.keys(after ?? {})])];
  return names
    .filter((name) => JSON.stringify(before?.[name]) !== JSON.stringify(after?.[name]))
    .map((name) => ({
      name: NAMES[name] ?? name.replaceAll('_', ' '),
      before: before ? told(before[name]) : null,
      after: after ? told(after[name]) : null,
    }));
}

function told(fact: unknown): string {
  if (fact === null || fact === undefined || fact === '') return 'nothing';
  if (fact === true) return 'yes';
  if (fact === false) return 'no';
  if (Array.isArray(fact)) return fact.length > 0 ? fact.map(told).join(', ') : 'none';
  if (typeof fact === 'string' && MOMENT.test(fact)) return formatDay(fact);
  const words = typeof fact === 'object' ? JSON.stringify(fact) : String(fact);
  return words.length > MAX_WORDS ? `${words.slice(0, MAX_WORDS)}…` : words;
}
