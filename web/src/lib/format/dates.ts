import { clock } from './clock.svelte';

const SECOND_MS = 1000;
const DAY_MS = 86_400_000;
const MINUTE_SECONDS = 60;
const HOUR_SECONDS = 3600;
const DAY_SECONDS = 86_400;
const SAME_YEAR_DAYS = 300; // nearer than this no one mistakes the year
const DAY = /^\d{4}-\d\d-\d\d$/;

/** Today by the person's clock. */
export function todayIso(now: Date = new Date()): string {
  return clock.dayOf(now);
}

/** Whole days from today to an ISO date; negative in the past. */
export function daysUntil(iso: string, today: string = todayIso()): number {
  return Math.round((Date.parse(dayOf(iso)) - Date.parse(today)) / DAY_MS);
}

export function addDays(iso: string, days: number): string {
  return new Date(Date.parse(iso) + days * DAY_MS).toISOString().slice(0, 'yyyy-mm-dd'.length);
}

/** The day of a date, or of a moment by the person's clock. */
function dayOf(iso: string): string {
  return DAY.test(iso) ? iso : clock.dayOf(new Date(iso));
}

/** “Sat 12 Dec”, with the year once it could be mistaken. */
export function formatDay(iso: string | null | undefined): string {
  if (!iso) return '–';
  const day = dayOf(iso);
  const told = clock.partsOf(day);
  const words = `${told.weekday} ${told.day} ${told.month}`;
  return Math.abs(daysUntil(day)) > SAME_YEAR_DAYS ? `${words} ${told.year}` : words;
}

/** “41 d (30–77)” from likely, early and late; an open end stays open. */
export function formatRunway(
  dates: { early_on: string | null; likely_on: string | null; late_on: string | null },
  today: string = todayIso(),
): string {
  const [early, likely, late] = [dates.early_on, dates.likely_on, dates.late_on].map((iso) =>
    iso ? Math.max(0, daysUntil(iso, today)) : null,
  );
  if (early === null || early === undefined) return 'beyond 2 y';
  const range = `(${early}–${late ?? ''})`;
  return likely === null || likely === undefined ? `beyond 2 y ${range}` : `${likely} d ${range}`;
}

/** “12 s”, “5 min”, “3 h”, “4 d” since a moment. */
export function formatAge(iso: string | null | undefined, now: number = Date.now()): string {
  if (!iso) return 'never';
  return formatSeconds(Math.max(0, (now - Date.parse(iso)) / SECOND_MS));
}

export function formatSeconds(seconds: number): string {
  if (seconds < MINUTE_SECONDS) return `${Math.round(seconds)} s`;
  if (seconds < HOUR_SECONDS) return `${Math.round(seconds / MINUTE_SECONDS)} min`;
  if (seconds < 2 * DAY_SECONDS) return `${Math.round(seconds / HOUR_SECONDS)} h`;
  return `${Math.round(seconds / DAY_SECONDS)} d`;
}

/** “07:36” today, else “Thu 19 Nov”, by the person's clock. */
export function formatMoment(iso: string | null | undefined): string {
  if (!iso) return '–';
  const at = new Date(iso);
  return clock.dayOf(at) === todayIso() ? clock.timeOf(at) : formatDay(iso);
}

const WEEKDAYS = ['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat'];

/** “Sun 03:00”, by the person's clock. */
export function formatWeekTime(iso: string): string {
  const at = new Date(iso);
  const day = new Date(`${clock.dayOf(at)}T00:00:00Z`);
  return `${WEEKDAYS[day.getUTCDay()] ?? ''} ${clock.timeOf(at)}`;
}
