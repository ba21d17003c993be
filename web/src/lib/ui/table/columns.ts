import type { Snippet } from 'svelte';

/** One column of a table: what it is called, how wide it is, what stands in a cell. */
export interface Column<Row> {
  key: string;
  name: string;
  width: string; // as a track of a grid
  cell: Snippet<[Row]>;
  isText?: boolean; // words stand left, figures right
  isSortable?: boolean;
  isAlways?: boolean; // cannot be left out
}

export interface Sorted {
  id: string;
  desc: boolean;
}

/** `-written` is by written, the most first. */
export function sortedBy(order: string): Sorted[] {
  return order === '' ? [] : [{ id: order.replace(/^-/, ''), desc: order.startsWith('-') }];
}

export function orderOf(sorted: Sorted[]): string {
  const [first] = sorted;
  return first ? `${first.desc ? '-' : ''}${first.id}` : '';
}

const STORED = 'keelmark.columns';

/** The columns that this person has put away in a table, by its name. */
export function putAway(table: string): Record<string, boolean> {
  try {
    return (JSON.parse(localStorage.getItem(`${STORED}.${table}`) ?? '{}') ?? {}) as Record<
      string,
      boolean
    >;
  } catch {
    return {};
  }
}

export function keepPutAway(table: string, shown: Record<string, boolean>) {
  localStorage.setItem(`${STORED}.${table}`, JSON.stringify(shown));
}
