import { goto } from '$app/navigation';
import { page } from '$app/state';
import { isPlain, narrowed, siftOf, termsOf, widened, type Term } from './sift';

export type Quantile = 'likely' | 'bad';
const DAY = /^\d{4}-\d\d-\d\d$/;

function numberOf(told: string | null | undefined): number | null {
  return told && /^\d+$/.test(told) ? Number(told) : null;
}

function dayOf(told: string | null): string | null {
  return told && DAY.test(told) && !Number.isNaN(Date.parse(told)) ? told : null;
}

/** What all screens look at; it stands in the URL and only here is it written there. */
class Bearing {
  readonly sift = $derived(page.url.searchParams.get('scope') ?? '');
  readonly chips = $derived(
    isPlain(this.sift) ? termsOf(this.sift).filter((term) => term.key !== null) : [],
  );
  readonly text = $derived(
    isPlain(this.sift) ? siftOf(termsOf(this.sift).filter((term) => term.key === null)) : this.sift,
  );

  /** The day looked at, null for now; and which quantile of days to come. */
  readonly at = $derived(dayOf(page.url.searchParams.get('at')));
  readonly quantile: Quantile = $derived(
    page.url.searchParams.get('q') === 'bad' ? 'bad' : 'likely',
  );
  /** The scenario that the estate is looked at as; on its own page that one. */
  readonly scenario = $derived(
    numberOf(
      page.route.id?.startsWith('/scenarios/[') ? page.params.id : page.url.searchParams.get('as'),
    ),
  );
  /** What every read of the estate is asked with. */
  readonly asked = $derived({
    ...(this.scenario === null ? {} : { scenario: this.scenario }),
    ...(this.sift ? { scope: this.sift } : {}),
    ...(this.at ? { at: this.at } : {}),
    ...(this.at && this.quantile === 'bad' ? { q: this.quantile } : {}),
  });

  /** Look at another day; null is now. Dragging writes over itself, so that Back is one step. */
  async lookAt(day: string | null, { isStep = true } = {}) {
    await writeQuery({ at: day }, { isStep });
  }

  async setQuantile(quantile: Quantile) {
    await writeQuery({ q: quantile === 'bad' ? 'bad' : null }, { isStep: true });
  }

  /** Look at the estate as a scenario; null is as it is. */
  async lookAs(scenario: number | null) {
    await writeQuery({ as: scenario === null ? null : String(scenario) }, { isStep: true });
  }

  /** Narrow to a value, or exclude it; again takes it back. Back takes it back too. */
  async narrow(key: string, text: string, isExcluding = false) {
    await this.write(narrowed(this.sift, { key, text, isExcluding }));
  }

  /** Narrow to several values at once: a pool of one array, where others are named alike. */
  async narrowAll(terms: Term[]) {
    await this.write(terms.reduce(narrowed, this.sift));
  }

  /** What is typed is written over itself: Back goes over it as one step. */
  async setText(text: string) {
    const before = siftOf(this.chips);
    const isStep = !isPlain(text) || termsOf(text).some((term) => term.key !== null);
    const whole = before && !isPlain(text) ? `${before} (${text})` : `${before} ${text}`.trim();
    await this.write(whole, { isStep });
  }

  /** Put another sift in the place of this one. */
  async replace(sift: string) {
    await this.write(sift);
  }

  async drop(term: Term) {
    await this.write(narrowed(this.sift, term));
  }

  /** Take back the last step; false where nothing was narrowed. */
  async widen(): Promise<boolean> {
    if (!this.sift) return false;
    await this.write(widened(this.sift));
    return true;
  }

  /** A link that keeps the bearing. */
  href(path: string): string {
    return this.hrefTo(path, this.sift);
  }

  /** A link that keeps the day and looks at what some terms leave. */
  hrefOf(path: string, terms: Term[]): string {
    return this.hrefTo(path, siftOf(terms));
  }

  private hrefTo(path: string, scope: string): string {
    const kept = {
      scope,
      at: this.at ?? '',
      q: this.quantile === 'bad' ? 'bad' : '',
      // A scenario's own page says it in its path.
      as: this.scenario === null || path.startsWith('/scenarios/') ? '' : String(this.scenario),
    };
    const query = Object.entries(kept)
      .filter(([, told]) => told)
      .map(([name, told]) => `${name}=${encodeURIComponent(told)}`)
      .join('&');
    return query ? `${path}${path.includes('?') ? '&' : '?'}${query}` : path;
  }

  private async write(sift: string, { isStep = true } = {}) {
    await writeQuery({ scope: sift || null }, { isStep });
  }
}

// Changes of one tick go together: each would else be made of an address that lacks the other.
let waiting: Record<string, string | null> | null = null;
let isWaitingStep = false;
let written: Promise<void> = Promise.resolve();

/** Write parts of the query string, null ones go; a step is one that Back takes back. */
export function writeQuery(
  parts: Record<string, string | null>,
  { isStep = false } = {},
): Promise<void> {
  const isFirst = waiting === null;
  waiting = { ...waiting, ...parts };
  isWaitingStep ||= isStep;
  if (isFirst) written = written.then(flush, flush);
  return written;
}

async function flush() {
  const parts = waiting ?? {};
  const isStep = isWaitingStep;
  waiting = null;
  isWaitingStep = false;
  const url = new URL(page.url);
  for (const [name, told] of Object.entries(parts)) {
    if (told === null) url.searchParams.delete(name);
    else url.searchParams.set(name, told);
  }
  if (url.href === page.url.href) return;
  await goto(url, { replaceState: !isStep, keepFocus: true, noScroll: true });
}

/** Write one part of the query string; an empty one goes. */
export async function setQuery(name: string, text: string, { isStep = false } = {}) {
  await writeQuery({ [name]: text || null }, { isStep });
}

export const bearing = new Bearing();
