import { goto } from '$app/navigation';
import { page } from '$app/state';
import { siftOf, termsOf, toggled, type Term } from './sift';

/** What all screens look at; it stands in the URL and only here is it written there. */
class Bearing {
  readonly sift = $derived(page.url.searchParams.get('scope') ?? '');
  readonly terms = $derived(termsOf(this.sift));
  readonly chips = $derived(this.terms.filter((term) => term.key !== null));
  readonly text = $derived(siftOf(this.terms.filter((term) => term.key === null)));

  /** Narrow to a value, or exclude it; again takes it back. Back takes it back too. */
  async narrow(key: string, text: string, isExcluding = false) {
    await this.write(toggled(this.terms, { key, text, isExcluding }));
  }

  /** What is typed is written over itself: Back goes over it as one step. */
  async setText(text: string) {
    const terms = [...this.chips, ...termsOf(text)];
    await this.write(terms, { isStep: terms.length !== this.terms.length });
  }

  async drop(term: Term) {
    await this.write(toggled(this.terms, term));
  }

  /** Take back the last step; false where nothing was narrowed. */
  async widen(): Promise<boolean> {
    if (this.terms.length === 0) return false;
    await this.write(this.terms.slice(0, -1));
    return true;
  }

  /** A link that keeps the bearing. */
  href(path: string): string {
    if (!this.sift) return path;
    return `${path}${path.includes('?') ? '&' : '?'}scope=${encodeURIComponent(this.sift)}`;
  }

  private async write(terms: Term[], { isStep = true } = {}) {
    await writeQuery({ scope: siftOf(terms) || null }, { isStep });
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
