import type { Snippet } from 'svelte';

/** One column of a table: what it is called, how wide it is, what stands in a cell. */
export interface Column<Row> {
  key: string;
  name: string;
  width: string; // as a track of a grid
  cell: Snippet<[Row, string]>; // the row, and the key of the column
  head?: Snippet; // drawn over it in the place of its name
  isText?: boolean; // words stand left, figures right
  isSortable?: boolean;
  isAlways?: boolean; // cannot be left out
  isPutAway?: boolean; // at first
}

/** Rows that stand together under a head. */
export interface TableGroup<Row> {
  key: string;
  title: string;
  note: string;
  isGrave?: boolean; // what to look at before all others
  rows: Row[]; // those that are shown
  tools?: Snippet;
}

/** What is drawn one under the other: a head, or a row with its place among the rows. */
export type Line<Row> = { group: TableGroup<Row> } | { row: Row; index: number };

export function linesOf<Row>({ rows, groups }: TableRows<Row>): Line<Row>[] {
  if (!groups) return rows.map((row, index) => ({ row, index }));
  let n = 0;
  return groups.flatMap((group) => [{ group }, ...group.rows.map((row) => ({ row, index: n++ }))]);
}

/** What a table shows, and where more of it comes from. */
export interface TableRows<Row> {
  rows: Row[]; // of all groups one after the other, where there are groups
  groups?: TableGroup<Row>[];
  idOf: (row: Row) => string | number;
  nAll: number;
  isBusy?: boolean; // rows of another order stand until theirs come
  onmore?: (() => void) | undefined; // there are more rows than came
}

interface Paged {
  isPlaceholderData: boolean;
  hasNextPage: boolean;
  isFetchingNextPage: boolean;
  fetchNextPage: () => unknown;
}

/** What a list that is read page by page tells a table beside its rows. */
export function pagesOf(query: Paged): Pick<TableRows<never>, 'isBusy' | 'onmore'> {
  return {
    isBusy: query.isPlaceholderData,
    onmore:
      query.hasNextPage && !query.isFetchingNextPage ? () => void query.fetchNextPage() : undefined,
  };
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
  onpreview?: (id: number) => void; // without, a row is chosen by a click on it
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

export type Sortable = number | string | null;

/** Rows that all came, in an order of the table; what is not known stands last. */
export function inOrder<Row>(
  rows: Row[],
  order: string,
  by: Record<string, (row: Row) => Sortable>,
): Row[] {
  return sortedBy(order).reduceRight((told, { id, desc }) => {
    const of = by[id];
    return of ? told.toSorted((a, b) => compared(of(a), of(b), desc)) : told;
  }, rows);
}

function compared(a: Sortable, b: Sortable, desc: boolean): number {
  if (a === null || b === null) return Number(a === null) - Number(b === null);
  const up = typeof a === 'string' || typeof b === 'string' ? words(a, b) : a - b;
  return desc ? -up : up;
}

const words = (a: Sortable, b: Sortable) =>
  String(a).localeCompare(String(b), undefined, { numeric: true });

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
