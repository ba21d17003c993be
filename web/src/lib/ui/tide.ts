const DAY_MS = 86_400_000;

/** A straight scale of days on a bar of so many units. */
export interface TideScale {
  firstOn: string;
  lastOn: string;
  width: number;
}

export function daysBetween(from: string, to: string): number {
  return Math.round((Date.parse(to) - Date.parse(from)) / DAY_MS);
}

/** Where a day stands on the bar. */
export function xOf(day: string, { firstOn, lastOn, width }: TideScale): number {
  const whole = Math.max(daysBetween(firstOn, lastOn), 1);
  return (daysBetween(firstOn, day) / whole) * width;
}

/** The day at a place on the bar, the nearest one on it. */
export function dayAt(x: number, scale: TideScale): string {
  const whole = Math.max(daysBetween(scale.firstOn, scale.lastOn), 1);
  const days = Math.round((Math.min(Math.max(x, 0), scale.width) / scale.width) * whole);
  return shifted(scale.firstOn, days);
}

export function shifted(day: string, days: number): string {
  return new Date(Date.parse(day) + days * DAY_MS).toISOString().slice(0, 'yyyy-mm-dd'.length);
}

/** The first days of every so many months on the bar, with the months between them thinned. */
export function monthsOf({ firstOn, lastOn }: TideScale, step: number): string[] {
  const found: string[] = [];
  const at = new Date(Date.parse(firstOn));
  at.setUTCDate(1);
  at.setUTCMonth(at.getUTCMonth() + 1);
  for (; at.getTime() <= Date.parse(lastOn); at.setUTCMonth(at.getUTCMonth() + 1))
    if (at.getUTCMonth() % step === 0) found.push(at.toISOString().slice(0, 'yyyy-mm-dd'.length));
  return found;
}

/** “Oct”, with the year at its first month: “Jan 27”. */
export function monthName(day: string): string {
  const at = new Date(Date.parse(day));
  const month = at.toLocaleString('en-US', { month: 'short', timeZone: 'UTC' });
  return at.getUTCMonth() === 0 ? `${month} ${String(at.getUTCFullYear()).slice(2)}` : month;
}
