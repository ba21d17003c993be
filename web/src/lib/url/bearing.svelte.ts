import { goto } from '$app/navigation';
import { page } from '$app/state';
import { siftOf, termsOf, toggled, type Term } from './sift';

/** What all screens look at; it stands in the URL and only here is it written there. */
class Bearing {
  readonly sift = $derived(page.url.searchParams.get('scope') ?? '');
  readonly terms = $derived(termsOf(this.sift));
  readonly chips = $derived(this.terms.filter((term) => term.key !== null));
  readonly text = $derived(siftOf(this.terms.filter((term) => term.key === null)));

  /** Narrow to a value, or exclude it; again takes it back. */
  async narrow(key: string, text: string, isExcluding = false) {
    await this.write(toggled(this.terms, { key, text, isExcluding }));
  }

  async setText(text: string) {
    await this.write([...this.chips, ...termsOf(text)]);
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

  private async write(terms: Term[]) {
    await setQuery('scope', siftOf(terms));
  }
}

/** Write one part of the query string; an empty one goes. */
export async function setQuery(name: string, text: string) {
  const url = new URL(page.url); // eslint-disable-line svelte/prefer-svelte-reactivity -- goes to goto, nothing watches it
  if (text) url.searchParams.set(name, text);
  else url.searchParams.delete(name);
  await goto(url, { replaceState: true, keepFocus: true, noScroll: true });
}

export const bearing = new Bearing();
