<script lang="ts" generics="Row">
  import {
    columnVisibilityFeature,
    createTable,
    rowSortingFeature,
    tableFeatures,
  } from '@tanstack/svelte-table';
  import { createVirtualizer } from '@tanstack/svelte-virtual';
  import { tick, untrack } from 'svelte';
  import { type Column, keepPutAway, orderOf, putAway, sortedBy } from './columns';
  import ColumnMenu from './ColumnMenu.svelte';

  /** Rows without end: the server sorts and pages them, only those in sight are drawn. */
  interface Props {
    name: string; // under which its columns are kept
    label: string;
    note: string; // beside it
    rows: Row[];
    columns: Column<Row>[];
    idOf: (row: Row) => string | number;
    nAll: number;
    order: string;
    onorder: (order: string) => void;
    onmore?: (() => void) | undefined; // there are more rows than came
    isBusy?: boolean; // rows of another order stand until theirs come
    empty: string;
  }
  let {
    name,
    label,
    note,
    rows,
    columns,
    idOf,
    nAll,
    order,
    onorder,
    onmore,
    isBusy = false,
    empty,
  }: Props = $props();
  const ROW_PX = 26;
  const AHEAD = 30; // rows before the end at which more are asked for

  // svelte-ignore state_referenced_locally
  let visibility = $state(putAway(name));
  const told = $derived(
    columns.map(({ key, name: header, isSortable, isText, isAlways }) => ({
      id: key,
      header,
      accessorFn: (row: object) => row, // the server sorts; without one nothing could be sorted
      enableSorting: isSortable ?? false,
      sortDescFirst: !isText,
      enableHiding: !isAlways,
    })),
  );
  const table = createTable({
    features: tableFeatures({ rowSortingFeature, columnVisibilityFeature }),
    get columns() {
      return told;
    },
    get data() {
      return rows as object[];
    },
    getRowId: (row: object) => String(idOf(row as Row)),
    manualSorting: true,
    enableSortingRemoval: false,
    state: {
      get sorting() {
        return sortedBy(order);
      },
      get columnVisibility() {
        return visibility;
      },
    },
    onSortingChange: (change) => {
      onorder(orderOf(typeof change === 'function' ? change(sortedBy(order)) : change));
    },
    onColumnVisibilityChange: (change) => {
      visibility = typeof change === 'function' ? change(visibility) : change;
      keepPutAway(name, visibility);
    },
  });
  const byKey = $derived(new Map(columns.map((column) => [column.key, column])));
  const headers = $derived(table.getHeaderGroups()[0]?.headers ?? []);
  const shown = $derived(
    headers.map((header) => byKey.get(header.column.id)).filter((one) => one !== undefined),
  );
  const tracks = $derived(shown.map((column) => column.width).join(' '));

  let box: HTMLDivElement | undefined = $state();
  const virtualizer = createVirtualizer<HTMLDivElement, HTMLDivElement>({
    count: 0,
    getScrollElement: () => box ?? null,
    estimateSize: () => ROW_PX,
    overscan: 12,
  });
  $effect(() => {
    const options = { count: rows.length, getScrollElement: () => box ?? null };
    untrack(() => $virtualizer).setOptions(options);
  });
  const items = $derived($virtualizer.getVirtualItems());
  $effect(() => {
    const last = items.at(-1);
    if (last && onmore && last.index >= rows.length - AHEAD) onmore();
  });

  /** Arrows go from row to row, also to those that are not drawn yet. */
  async function onkeydown(event: KeyboardEvent) {
    const at = Number(
      document.activeElement?.closest<HTMLElement>('[data-row]')?.dataset.row ?? -1,
    );
    const moves: Record<string, number> = {
      ArrowDown: at + 1,
      ArrowUp: at - 1,
      Home: 0,
      End: rows.length - 1,
    };
    const wanted = moves[event.key];
    if (wanted === undefined || rows.length === 0) return;
    event.preventDefault();
    const next = Math.min(Math.max(wanted, 0), rows.length - 1);
    $virtualizer.scrollToIndex(next, { align: 'auto' });
    await tick();
    requestAnimationFrame(() => {
      box?.querySelector<HTMLElement>(`[data-row="${next}"] a`)?.focus({ preventScroll: true });
    });
  }
  const SORTED = { asc: 'ascending', desc: 'descending' } as const;
</script>

<div class="mt-4 flex items-baseline gap-3">
  <h2 class="water">{label}</h2>
  <p class="mr-auto text-ink-soft">{note}</p>
  <ColumnMenu
    of={label}
    columns={table
      .getAllLeafColumns()
      .filter((column) => column.getCanHide())
      .map((column) => ({
        key: column.id,
        name: byKey.get(column.id)?.name ?? '',
        isShown: column.getIsVisible(),
      }))}
    onpick={(key) => table.getColumn(key)?.toggleVisibility()}
  />
</div>
{#if rows.length === 0}
  <p class="py-2 text-ink-soft">{empty}</p>
{:else}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex (what scrolls must be reached by keys) -->
  <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
  <div
    bind:this={box}
    role="region"
    aria-label={label}
    tabindex="0"
    class="lanes-box"
    style:--columns={tracks}
    {onkeydown}
  >
    <div role="table" aria-label={label} aria-rowcount={nAll + 1} aria-busy={isBusy}>
      <div role="rowgroup" class="sticky top-0 z-10 bg-paper">
        <div role="row" aria-rowindex={1} class="lane border-b border-rule">
          {#each headers as header (header.id)}
            {@const column = byKey.get(header.column.id)}
            {@const sorted = header.column.getIsSorted()}
            <div
              role="columnheader"
              aria-sort={sorted ? SORTED[sorted] : undefined}
              class="text-xs text-ink-soft {column?.isText ? 'text-left' : 'text-right'}"
            >
              {#if header.column.getCanSort()}
                <button
                  class="min-h-6 hover:text-ink {sorted ? 'font-semibold text-ink' : ''}"
                  onclick={header.column.getToggleSortingHandler()}
                  >{column?.name}<span aria-hidden="true"
                    >{sorted ? (sorted === 'asc' ? ' ↑' : ' ↓') : ''}</span
                  ></button
                >
              {:else}{column?.name}{/if}
            </div>
          {/each}
        </div>
      </div>
      <div role="rowgroup" class="lanes" style:--height="{$virtualizer.getTotalSize()}px">
        {#each items as item (item.key)}
          {@const row = rows[item.index]}
          {#if row !== undefined}
            <div
              role="row"
              aria-rowindex={item.index + 2}
              data-row={item.index}
              class="lane lane-at figures border-b border-rule"
              style:--top="{item.start}px"
            >
              {#each shown as column (column.key)}
                <div role="cell" class="lead {column.isText ? 'text-left' : 'text-right'}">
                  {@render column.cell(row)}
                </div>
              {/each}
            </div>
          {/if}
        {/each}
      </div>
    </div>
  </div>
{/if}
