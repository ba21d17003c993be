/** Where a person was on a page: how far each part was scrolled and what had the focus. */
export interface Place {
  tops: [string, number][];
  focus: string | null; // the address of the link that had it
}

const PARTS = '[data-place]';
const TRIES = 40; // frames in which what was read before is drawn again

export function placeNow(): Place {
  const tops = [...document.querySelectorAll<HTMLElement>(PARTS)].map((part): [string, number] => [
    part.dataset.place ?? '',
    part.scrollTop,
  ]);
  const focused = document.activeElement?.closest('a[href]');
  return { tops, focus: focused?.getAttribute('href') ?? null };
}

/** Go back to a place, as soon as what is there is long enough. */
export function returnTo(place: Place, tries = TRIES) {
  let isThere = true;
  for (const [name, top] of place.tops) {
    const part = document.querySelector<HTMLElement>(`[data-place="${CSS.escape(name)}"]`);
    if (part) part.scrollTop = top;
    if (top > 0 && (!part || Math.abs(part.scrollTop - top) > 1)) isThere = false;
  }
  const link = place.focus
    ? document.querySelector<HTMLElement>(`a[href="${CSS.escape(place.focus)}"]`)
    : null;
  link?.focus({ preventScroll: true });
  if ((!isThere || (place.focus && !link)) && tries > 0)
    requestAnimationFrame(() => returnTo(place, tries - 1));
}
