interface Thing {
  id: number;
  kind: string;
}

const FIRST_BORN_ID = 4_503_599_627_370_496; // 2 to the 52nd, as the core numbers what moves bring

/** Whether a thing is brought by a move of a scenario: nothing is read of it yet. */
export function isBorn(id: number): boolean {
  return id >= FIRST_BORN_ID;
}

/** The path of a thing's own page, at one of its metrics; the books of a pool have their own. */
export function pathOf({ id, kind }: Thing, metric = 'used'): string {
  if (kind === 'pool' && !isBorn(id) && metric === 'used') return `/pools/${id}`;
  return metric === 'used' ? `/things/${id}` : `/things/${id}?metric=${metric}`;
}
