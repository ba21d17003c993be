import type { Snippet } from 'svelte';

/** One column of a table: what it is called, how wide it is, what stands in a cell. */
export interface Column<Row> {
  key: string;
  name: string;
  width: string; // as a track of a grid
  cell: Snippet<[Row, string]>; // the row, and the key of the column
  isText?: boolean; // words stand left, figures right
  isSortable?: boolean;
  isAlways?: boolean; // cannot be left out
  isPutAway?: boolean; // at first
}

/** What a table shows, and where more of it comes from. */
export interface TableRows<Row> {
  rows: Row[];
  idOf: (row: Row) => string | number;
  nAll: number;
  isBusy?: boolean; // rows of another order stand until theirs come
  onmore?: (() => void) | undefined; // there are more rows than came
}

/** How the server sorts; several names with commas between where it takes several. */
export interface TableOrder {
  order: string;
  isMany?: boolean;
  onorder: (order: string) => void;
}

/** What is chosen of the rows, and what is shown beside them. */
export interface TableChoice {
  chosen: ReadonlySet<number>;
  onchoose: (chosen: Set<number>) => void;
  onpreview: (id: number) => void;
}

export interface Sorted {
  id: string;
  desc: boolean;
}

/** `-written,name` is by written, the most first, then by name. */
export function sortedBy(order: string): Sorted[] {
  return order
    .split(',')
    .filter(Boolean)
    .map((one) => ({ id: one.replace(/^-/, ''), desc: one.startsWith('-') }));
}

export function orderOf(sorted: Sorted[]): string {
  return sorted.map((one) => `${one.desc ? '-' : ''}${one.id}`).join(',');
}

const STORED = 'keelmark.columns';
const WIDTHS = 'keelmark.widths';

/** The columns that this person has put away in a table, by its name. */
export function putAway(table: string): Record<string, boolean> | null {
  return stored<boolean>(`${STORED}.${table}`);
}

export function keepPutAway(table: string, shown: Record<string, boolean>) {
  localStorage.setItem(`${STORED}.${table}`, JSON.stringify(shown));
}

/** The widths in px that this person has given columns of a table. */
export function widthsOf(table: string): Record<string, number> {
  return stored<number>(`${WIDTHS}.${table}`) ?? {};
}

export function keepWidths(table: string, widths: Record<string, number>) {
  localStorage.setItem(`${WIDTHS}.${table}`, JSON.stringify(widths));
}

function stored<Kept>(key: string): Record<string, Kept> | null {
  try {
    return JSON.parse(localStorage.getItem(key) ?? 'null') as Record<string, Kept> | null;
  } catch {
    return null;
  }
}

/** All between two rows, both with them: what shift chooses. */
export function between(ids: number[], from: number, to: number): number[] {
  const [a, b] = [ids.indexOf(from), ids.indexOf(to)];
  if (a < 0 || b < 0) return b < 0 ? [] : [to];
  return ids.slice(Math.min(a, b), Math.max(a, b) + 1);
}
