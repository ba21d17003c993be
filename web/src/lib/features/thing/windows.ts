import { daysUntil, todayIso } from '$lib/format';

export interface Window {
  key: string;
  name: string;
  days: number;
  aheadDays: number; // how much of the fan goes with that much history
}

export const WINDOWS: readonly Window[] = [
  { key: '7d', name: '7 d', days: 7, aheadDays: 7 },
  { key: '30d', name: '30 d', days: 30, aheadDays: 30 },
  { key: '90d', name: '90 d', days: 90, aheadDays: 75 },
  { key: '1y', name: '1 y', days: 365, aheadDays: 365 },
  { key: 'all', name: 'all', days: 4000, aheadDays: 730 },
];
const NINETY = 2;

export function windowOf(key: string | null): Window {
  return (WINDOWS.find((window) => window.key === key) ?? WINDOWS[NINETY]) as Window;
}

export const EXPLAINED_DAYS = 365; // shifts this old are still explained

/** Growth as it is, and faster: what if it did? */
export const GROWTHS = [
  { key: '1', name: 'as it grows' },
  { key: '1.5', name: '×1.5' },
  { key: '2', name: '×2' },
  { key: '3', name: '×3' },
];

export function growthOf(told: string | null): number {
  return GROWTHS.some(({ key }) => key === told) ? Number(told) : 1;
}

/** Two days, both with what lies between. */
export type Span = [string, string];
const SPAN = /^(\d{4}-\d\d-\d\d)\.\.(\d{4}-\d\d-\d\d)$/;

export function spanOf(told: string | null): Span | null {
  const [, from, to] = SPAN.exec(told ?? '') ?? [];
  return from && to && from < to ? [from, to] : null;
}

/** Over how many days up to when growth is asked for: over a span that was, else the window. */
export function contributedIn(span: Span | null, days: number): [number, string | null] {
  if (!span || span[0] >= todayIso()) return [days, null];
  const until = span[1] < todayIso() ? span[1] : null;
  return [Math.max(daysUntil(until ?? todayIso(), span[0]), 1), until];
}
