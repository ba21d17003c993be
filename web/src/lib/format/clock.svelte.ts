import { browser } from '$app/environment';

const ZONE_KEY = 'keelmark.zone';
export const UTC = 'UTC';

/** The one clock of this person: UTC, or that of the place where the browser is. */
class Clock {
  readonly here = browser ? Intl.DateTimeFormat().resolvedOptions().timeZone || UTC : UTC;
  zone = $state(browser && localStorage.getItem(ZONE_KEY) === UTC ? UTC : this.here);

  private readonly times = $derived(
    new Intl.DateTimeFormat('en-GB', {
      hour: '2-digit',
      minute: '2-digit',
      timeZone: this.zone,
    }),
  );
  private readonly days = $derived(
    new Intl.DateTimeFormat('en-CA', {
      year: 'numeric',
      month: '2-digit',
      day: '2-digit',
      timeZone: this.zone,
    }),
  );
  // Parts of one locale, put together by hand: the others shorten months unevenly (Sept, June).
  private readonly words = new Intl.DateTimeFormat('en-US', {
    weekday: 'short',
    day: 'numeric',
    month: 'short',
    year: 'numeric',
    timeZone: UTC, // of a day, which is the same everywhere
  });

  setZone(zone: string) {
    this.zone = zone;
    localStorage.setItem(ZONE_KEY, zone);
  }

  /** “07:36”. */
  timeOf(at: Date): string {
    return this.times.format(at);
  }

  /** “2026-11-26”. */
  dayOf(at: Date): string {
    return this.days.format(at);
  }

  /** Weekday, day, month and year of an ISO date, in words. */
  partsOf(day: string): Record<string, string> {
    return Object.fromEntries(
      this.words.formatToParts(new Date(day)).map((part) => [part.type, part.value]),
    );
  }
}

export const clock = new Clock();
