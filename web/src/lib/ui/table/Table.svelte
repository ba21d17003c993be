<script lang="ts" module>
  const ROW_PX = 26;
  const AS_IT_COMES = { order: '', onorder: () => undefined };
</script>

<script lang="ts" generics="Row">
  import {
    columnVisibilityFeature,
    createTable,
    rowSortingFeature,
    tableFeatures,
  } from '@tanstack/svelte-table';
  import { createVirtualizer } from '@tanstack/svelte-virtual';
  import { tick, untrack, type Snippet } from 'svelte';
  import {
    between,
    keepPutAway,
    keepWidths,
    linesOf,
    orderOf,
    putAway,
    sortedBy,
    widthsOf,
    type Column,
    type TableChoice,
    type TableOrder,
    type TableRows,
  } from './columns';
  import ColumnMenu from './ColumnMenu.svelte';
  import HeadCell from './HeadCell.svelte';

  /** Rows without end: the server sorts and pages them, only those in sight are drawn. */
  interface Props {
    name: string; // under which its columns are kept
    label: string;
    note: string; // beside it
    columns: Column<Row>[];
    of: TableRows<Row>;
    sorting?: TableOrder; // without, its rows stand in one order alone
    choice?: TableChoice;
    empty: string;
    rowPx?: number; // higher where a row tells more than a line
    isTall?: boolean; // as high as there is room, and not as a part of a page
    tools?: Snippet; // beside the choice of columns
    foot?: Snippet<[Column<Row>]>; // a cell of what all rows add up to
  }
  let {
    name,
    label,
    note,
    columns,
    of,
    sorting = AS_IT_COMES,
    choice,
    empty,
    rowPx = ROW_PX,
    isTall = false,
    tools,
    foot,
  }: Props = $props();
  const AHEAD = 30; // rows before the end at which more are asked for
  const LEAST_PX = 40;

  const atFirst = () =>
    Object.fromEntries(columns.filter((one) => one.isPutAway).map((one) => [one.key, false]));
  // svelte-ignore state_referenced_locally
  let visibility = $state(putAway(name) ?? atFirst());
  // svelte-ignore state_referenced_locally
  let widths = $state(widthsOf(name));
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
      return of.rows as object[];
    },
    getRowId: (row: object) => String(of.idOf(row as Row)),
    manualSorting: true,
    enableSortingRemoval: false,
    get enableMultiSort() {
      return sorting.isMany ?? false;
    },
    state: {
      get sorting() {
        return sortedBy(sorting.order);
      },
      get columnVisibility() {
        return visibility;
      },
    },
    onSortingChange: (change) => {
      const before = sortedBy(sorting.order);
      sorting.onorder(orderOf(typeof change === 'function' ? change(before) : change));
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
  const tracks = $derived(
    (choice ? '18px ' : '') +
      shown
        .map((column) => {
          const px = widths[column.key];
          return px === undefined ? column.width : `${px}px`;
        })
        .join(' '),
  );
  const nSorted = $derived(sortedBy(sorting.order).length);

  let box: HTMLDivElement | undefined = $state();
  let footBox: HTMLDivElement | undefined = $state();
  const virtualizer = createVirtualizer<HTMLDivElement, HTMLDivElement>({
    count: 0,
    getScrollElement: () => box ?? null,
    estimateSize: () => ROW_PX,
    overscan: 12,
  });
  const lines = $derived(linesOf(of));
  $effect(() => {
    const told = lines;
    const estimateSize = (at: number) => {
      const line = told[at];
      return line && 'group' in line ? ROW_PX : rowPx;
    };
    const options = { count: told.length, getScrollElement: () => box ?? null, estimateSize };
    untrack(() => $virtualizer).setOptions(options);
  });
  const items = $derived($virtualizer.getVirtualItems());
  $effect(() => {
    const last = items.at(-1);
    if (last && of.onmore && last.index >= lines.length - AHEAD) of.onmore();
  });

  let onItsWay: number | null = null;
  let anchor: number | null = null; // from which shift chooses
  const idAt = (index: number) => {
    const row = of.rows[index];
    return row === undefined ? null : Number(of.idOf(row));
  };

  function choose(index: number, isRange: boolean) {
    const id = idAt(index);
    if (!choice || id === null) return;
    // eslint-disable-next-line svelte/prefer-svelte-reactivity -- made anew and handed on
    const chosen = new Set(choice.chosen);
    if (isRange && anchor !== null) {
      const ids = of.rows.map((row) => Number(of.idOf(row)));
      for (const one of between(ids, anchor, id)) chosen.add(one);
    } else if (!chosen.delete(id)) chosen.add(id);
    anchor = id;
    choice.onchoose(chosen);
  }

  function pick(index: number) {
    const id = idAt(index);
    if (choice?.onpreview && id !== null) choice.onpreview(id);
    else choose(index, false);
  }

  /** Arrows go from row to row, also to those that are not drawn yet. */
  async function onkeydown(event: KeyboardEvent) {
    // Keys may come faster than rows are drawn: the row that is on its way to the focus counts.
    const at =
      onItsWay ??
      Number(document.activeElement?.closest<HTMLElement>('[data-row]')?.dataset.row ?? -1);
    if (choice && at >= 0 && (event.key === 'x' || event.key === 'X') && !event.ctrlKey) {
      event.preventDefault();
      choose(at, event.shiftKey);
      return;
    }
    if (choice && at >= 0 && event.key === ' ') {
      event.preventDefault();
      pick(at);
      return;
    }
    const moves: Record<string, number> = {
      ArrowDown: at + 1,
      ArrowUp: at - 1,
      Home: 0,
      End: of.rows.length - 1,
    };
    const wanted = moves[event.key];
    if (wanted === undefined || of.rows.length === 0) return;
    event.preventDefault();
    const next = Math.min(Math.max(wanted, 0), of.rows.length - 1);
    if (event.shiftKey && choice) {
      if (anchor === null) choose(at, false);
      choose(next, true);
    }
    onItsWay = next;
    const line = lines.findIndex((one) => 'row' in one && one.index === next);
    $virtualizer.scrollToIndex(line, { align: 'auto' });
    await tick();
    requestAnimationFrame(() => {
      if (onItsWay === next) onItsWay = null;
      box?.querySelector<HTMLElement>(`[data-row="${next}"] a`)?.focus({ preventScroll: true });
    });
  }

  function widen(key: string, px: number, isLast: boolean) {
    const at = shown.findIndex((one) => one.key === key) + (choice ? 1 : 0);
    const head = box?.querySelectorAll<HTMLElement>('[role="columnheader"]')[at];
    const now = widths[key] ?? head?.getBoundingClientRect().width ?? LEAST_PX;
    widths = { ...widths, [key]: Math.max(LEAST_PX, Math.round(now + px)) };
    if (isLast) keepWidths(name, widths);
  }
</script>

<div class="flex flex-wrap items-baseline gap-x-3 {isTall ? '' : 'mt-4'}">
  <h2 class="water shrink-0 whitespace-nowrap">{label}</h2>
  <p class="mr-auto flex-1 basis-16 text-ink-soft">{note}</p>
  {@render tools?.()}
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
{#if lines.length === 0}
  <p class="py-2 text-ink-soft">{empty}</p>
{:else}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex (what scrolls must be reached by keys) -->
  <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
  <div
    bind:this={box}
    role="region"
    aria-label={label}
    tabindex="0"
    class={isTall ? 'lanes-tall' : 'lanes-box'}
    style:--columns={tracks}
    data-place="table {name}"
    onscroll={() => {
      if (footBox && box) footBox.scrollLeft = box.scrollLeft;
    }}
    {onkeydown}
  >
    <div
      role="table"
      aria-label={label}
      aria-rowcount={of.nAll + (of.groups?.length ?? 0) + 1}
      aria-busy={of.isBusy ?? false}
    >
      <div role="rowgroup" class="sticky top-0 z-10 bg-paper">
        <div role="row" aria-rowindex={1} class="lane border-b border-rule">
          {#if choice}<div role="columnheader"><span class="sr-only">chosen</span></div>{/if}
          {#each headers as header (header.id)}
            {@const column = byKey.get(header.column.id)}
            <HeadCell
              name={column?.name ?? ''}
              drawn={column?.head}
              isText={column?.isText ?? false}
              sorted={header.column.getIsSorted()}
              place={nSorted > 1 && header.column.getIsSorted()
                ? header.column.getSortIndex() + 1
                : null}
              onsort={header.column.getCanSort()
                ? header.column.getToggleSortingHandler()
                : undefined}
              onwiden={(px, isLast) => widen(header.column.id, px, isLast)}
            />
          {/each}
        </div>
      </div>
      <div role="rowgroup" class="lanes" style:--height="{$virtualizer.getTotalSize()}px">
        {#each items as item (item.key)}
          {@const line = lines[item.index]}
          {#if line && 'group' in line}
            <div
              role="row"
              aria-rowindex={item.index + 2}
              class="lane-at flex items-end gap-2 border-b border-rule pb-0.5"
              style:--top="{item.start}px"
              style:--row="{ROW_PX}px"
            >
              <div
                role="cell"
                aria-colspan={shown.length}
                class="flex min-w-0 items-baseline gap-2"
              >
                <h3
                  class="font-semibold whitespace-nowrap {line.group.isGrave ? 'text-signal' : ''}"
                >
                  {line.group.title}
                </h3>
                <span class="lead text-ink-soft" title={line.group.note}>{line.group.note}</span>
                {@render line.group.tools?.()}
              </div>
            </div>
          {:else if line}
            {@const row = line.row}
            {@const isChosen = choice?.chosen.has(Number(of.idOf(row))) ?? false}
            <!-- svelte-ignore a11y_click_events_have_key_events (x and Space do the same) -->
            <!-- svelte-ignore a11y_interactive_supports_focus (its link has the focus) -->
            <div
              role="row"
              aria-rowindex={item.index + 2}
              aria-selected={choice ? isChosen : undefined}
              data-row={line.index}
              class="lane lane-at figures border-b border-rule {isChosen ? 'bg-depth-1' : ''}"
              style:--top="{item.start}px"
              style:--row="{rowPx}px"
              onclick={choice
                ? (event) => {
                    if ((event.target as Element).closest('a, button, input')) return;
                    if (event.shiftKey) choose(line.index, true);
                    else pick(line.index);
                  }
                : undefined}
            >
              {#if choice}
                <div role="cell">
                  <input
                    type="checkbox"
                    tabindex="-1"
                    class="block h-3.5 w-3.5"
                    aria-label="choose row {line.index + 1}"
                    checked={isChosen}
                    onclick={(event) => choose(line.index, event.shiftKey)}
                  />
                </div>
              {/if}
              {#each shown as column (column.key)}
                <div role="cell" class="lead {column.isText ? 'text-left' : 'text-right'}">
                  {@render column.cell(row, column.key)}
                </div>
              {/each}
            </div>
          {/if}
        {/each}
      </div>
    </div>
  </div>
  {#if foot}
    <div class="lanes-foot" bind:this={footBox} style:--columns={tracks}>
      <div role="table" aria-label="{label}, added up">
        <div role="row" class="lane figures border-t border-ink py-1 font-semibold">
          {#if choice}<div role="cell"></div>{/if}
          {#each shown as column (column.key)}
            <div role="cell" class="lead {column.isText ? 'text-left' : 'text-right'}">
              {@render foot(column)}
            </div>
          {/each}
        </div>
      </div>
    </div>
  {/if}
{/if}
