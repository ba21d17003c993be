interface Thing {
  id: number;
  kind: string;
}

/** The path of a thing's own page, at one of its metrics; the books of a pool have their own. */
export function pathOf({ id, kind }: Thing, metric = 'used'): string {
  if (kind === 'pool' && metric === 'used') return `/pools/${id}`;
  return metric === 'used' ? `/things/${id}` : `/things/${id}?metric=${metric}`;
}
