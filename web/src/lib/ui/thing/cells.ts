import { todayIso, formatDay, formatPercent, preferences, formatCount } from '$lib/format';

const DAY_MS = 86_400_000;

/** A thing that a cell leads to. */
export interface Linked {
  id: number;
  kind: string;
  name: string;
}

/** A day counted from 1970 as an ISO date. */
export function dayOfNumber(day: number): string {
  return new Date(day * DAY_MS).toISOString().slice(0, 'yyyy-mm-dd'.length);
}

/** A figure as it is read; a dash where nobody told. */
export function cellText(told: unknown, measure: string, isSigned = false): string {
  if (told === null || told === undefined) return '–';
  if (typeof told === 'boolean') return told ? 'yes' : 'no';
  if (typeof told === 'string') return told;
  if (typeof told === 'object') return (told as Linked).name;
  const amount = told as number;
  if (measure === 'bytes') return preferences.bytes(amount, isSigned);
  if (measure === 'percent') return formatPercent(Math.round(amount));
  if (measure === 'since' || measure === 'until') return formatDay(dayOfNumber(amount));
  return formatCount(amount);
}

/** Days from today of a day counted from 1970. */
export function daysAhead(day: number): number {
  return day - Math.round(Date.parse(todayIso()) / DAY_MS);
}
