<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import { exactBytes, formatDay, kindWord, preferences } from '$lib/format';
  import DraughtGauge from '$lib/ui/DraughtGauge.svelte';
  import ChosenTools from '$lib/ui/ChosenTools.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { worded } from '$lib/ui/states';
  import { pagesOf, type Column } from '$lib/ui/table/columns';
  import Table from '$lib/ui/table/Table.svelte';
  import { cellText, dayOfNumber, type Linked } from '$lib/ui/thing/cells';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { page } from '$app/state';
  import { thatDayQuery, type PoolThen } from './queries';

  /** How the pools stand on a day that was, or that is to come: past their marks first. */
  interface Props {
    chosen: ReadonlySet<number>;
    onchoose: (chosen: Set<number>) => void;
    onpreview: (id: number) => void;
  }
  let { chosen, onchoose, onpreview }: Props = $props();
  const ROW_PX = 42;
  const STATES = [
    { key: 'over', title: 'Past the limit mark' },
    { key: 'urgent', title: 'Inside lead time' },
    { key: 'caution', title: 'Past the caution mark' },
    { key: 'clear', title: 'Below both marks' },
    { key: 'unread', title: 'Not read' },
  ];
  const order = $derived(page.url.searchParams.get('order') ?? '-fill');
  const told = createInfiniteQuery(() => thatDayQuery(bearing.asked, order));
  const rows = $derived(told.data?.pages.flatMap((one) => one.results) ?? []);
  const at = $derived(told.data?.pages[0]?.at);
  const isAhead = $derived(at?.when === 'forecast');
  const groups = $derived(
    STATES.map((state) => ({
      ...state,
      note: '',
      rows: rows.filter((row) => row.cells.state === state.key),
    }))
      .filter((group) => group.rows.length > 0)
      .map((group) => ({ ...group, note: `${group.rows.length}` })),
  );
  const amount = (row: PoolThen, name: string) => row.cells[name] as number | null;
  const said = $derived(
    isAhead
      ? `forecast for ${formatDay(at?.day)}, ${bearing.quantile === 'bad' ? 'in the bad case, 1 in 10' : 'at even chance'}`
      : at?.when === 'now'
        ? 'as it stands today, with the scenario'
        : `as it was read on ${formatDay(at?.day)}`,
  );
  // Of a day that was nobody keeps what was said of its end.
  const columns: Column<PoolThen>[] = $derived([
    {
      key: 'name',
      name: 'pool',
      width: 'minmax(170px, 240px)',
      cell: named,
      isText: true,
      isAlways: true,
      isSortable: true,
    },
    ...[
      { key: 'used', name: 'used', width: '76px' },
      { key: 'size', name: 'usable', width: '76px' },
      { key: 'fill', name: 'fill', width: '48px' },
      { key: 'plannable', name: 'plannable', width: '76px' },
      { key: 'exposure', name: 'exposure', width: '76px' },
      { key: 'grown', name: 'grown, 30 d', width: '80px' },
    ].map((one) => ({ ...one, cell: figured, isSortable: true })),
    ...(isAhead
      ? [
          {
            key: 'runway',
            name: 'limit mark, likely',
            width: 'minmax(112px, 1fr)',
            cell: dated,
            isSortable: true,
          },
        ]
      : []),
  ]);
</script>

{#snippet named(row: PoolThen)}
  {@const array = row.cells.array as Linked | null}
  <span class="flex items-center gap-2">
    <StateGlyph state={String(row.cells.state)} />
    {#if amount(row, 'used') !== null && amount(row, 'size')}
      <DraughtGauge
        usedBytes={amount(row, 'used') ?? 0}
        usableBytes={amount(row, 'size') ?? 0}
        provisionedBytes={amount(row, 'promised')}
        cautionPercent={amount(row, 'caution_mark') ?? 0}
        limitPercent={amount(row, 'limit_mark') ?? 0}
        label="{preferences.bytes(amount(row, 'used'))} used of {preferences.bytes(
          amount(row, 'size'),
        )}"
      />
    {/if}
    <span class="min-w-0">
      <a class="lead block font-semibold hover:underline" href={bearing.href(pathOf(row))}
        >{array ? `${array.name} · ` : ''}{row.name}</a
      >
      <span class="lead block text-xs text-ink-soft"
        >{[(row.cells.site as Linked | null)?.name, row.cells.class]
          .filter(Boolean)
          .join(' · ')}</span
      >
    </span>
  </span>
{/snippet}
{#snippet figured(row: PoolThen, key: string)}
  <span
    class={isAhead && ['used', 'fill', 'plannable', 'grown'].includes(key) ? 'text-plan' : ''}
    title={key === 'fill' ? '' : exactBytes(amount(row, key))}
    >{cellText(amount(row, key), key === 'fill' ? 'percent' : 'bytes', key === 'grown')}</span
  >
{/snippet}
{#snippet dated(row: PoolThen)}
  {@const likely = amount(row, 'runway')}
  <span class={worded(String(row.cells.state))}
    >{likely === null
      ? 'beyond 2 y'
      : `${isAhead && at && dayOfNumber(likely) <= at.day ? (row.cells.state === 'over' ? 'since ' : 'reached ') : ''}${formatDay(dayOfNumber(likely))}`}</span
  >
{/snippet}
{#snippet tools()}
  <ChosenTools
    things={rows
      .filter((row) => chosen.has(row.id))
      .map((row) => ({ id: row.id, kind: 'pool', name: row.name }))}
    onnone={() => onchoose(new Set())}
  />
{/snippet}

{#if told.error}
  <ProblemNote of="Pools" error={told.error} onretry={() => told.refetch()} class="mt-4" />
{:else if told.data}
  <Table
    name="that day"
    label="How the pools stand"
    note={said}
    {columns}
    of={{
      rows: groups.flatMap((group) => group.rows),
      groups,
      idOf: (row) => row.id,
      nAll: told.data.pages[0]?.n_all ?? rows.length,
      ...pagesOf(told),
    }}
    sorting={{ order, onorder: (wanted) => void setQuery('order', wanted) }}
    choice={{ chosen, onchoose, onpreview }}
    rowPx={ROW_PX}
    empty="No {kindWord(
      'pool',
    )} lies in this scope on this day. Esc widens it by one step; t is today."
    isTall
    {tools}
  />
{:else}
  <Pending of="pools" class="pt-4" />
{/if}
