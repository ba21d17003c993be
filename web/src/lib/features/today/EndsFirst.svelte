<script lang="ts">
  import { page } from '$app/state';
  import type { Pool } from '$lib/api/client';
  import {
    counted,
    exactBytes,
    formatDay,
    formatPercent,
    limitDate,
    limitRange,
    preferences,
  } from '$lib/format';
  import ChosenTools from '$lib/ui/ChosenTools.svelte';
  import PoolGauge from '$lib/ui/PoolGauge.svelte';
  import RunwayAxis from '$lib/ui/RunwayAxis.svelte';
  import RunwayStrip from '$lib/ui/RunwayStrip.svelte';
  import Sentence from '$lib/ui/Sentence.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { worded } from '$lib/ui/states';
  import type { Column } from '$lib/ui/table/columns';
  import Table from '$lib/ui/table/Table.svelte';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import { grouped, type Group } from './reaches';

  /** The pools of the scope in the order in which they end, by how far they reach. */
  interface Props {
    pools: Pool[];
    reaches: { name: string; n_pools: number }[]; // over all pages
    nAll: number | null;
    onmore?: (() => void) | undefined;
    chosen: ReadonlySet<number>;
    onchoose: (chosen: Set<number>) => void;
    onpreview: (id: number) => void;
  }
  let { pools, reaches, nAll, onmore, chosen, onchoose, onpreview }: Props = $props();
  const ROW_PX = 42;
  const PERCENT = 100;

  // In the address, so that Back finds the group as it was left.
  const isNoEndShown = $derived(page.url.searchParams.get('open') === 'no_end');
  const exportHref = $derived(`/api/v1/pools/export?scope=${encodeURIComponent(bearing.sift)}`);
  const shortest = $derived(Math.min(...pools.map((pool) => pool.lead_time_days)));
  const countOf = (group: Group) =>
    reaches.find((one) => one.name === group.reach)?.n_pools ?? group.pools.length;

  /** Without an end in sight, only what still asks to be looked at is shown unasked. */
  const shownOf = (group: Group) =>
    group.reach !== 'no_end' || isNoEndShown
      ? group.pools
      : group.pools.filter((pool) => !['clear', 'unread'].includes(pool.attention));
  const groups = $derived(
    grouped(pools).map((group) => ({
      key: group.reach,
      title: `${group.title}${group.reach === 'inside_lead_time' ? `, ${shortest} d to buy` : ''}`,
      note: counted('pool', countOf(group)),
      rows: shownOf(group),
      ...(group.reach === 'no_end' ? { tools: fold } : {}),
    })),
  );
  const range = (pool: Pool) =>
    pool.attention === 'over'
      ? `${preferences.bytes(pool.used_bytes)} used`
      : limitRange(pool.limit);
  const share = (pool: Pool) =>
    pool.usable_bytes > 0
      ? formatPercent(Math.round((PERCENT * pool.used_bytes) / pool.usable_bytes))
      : '–';
  const columns: Column<Pool>[] = [
    {
      key: 'pool',
      name: 'pool',
      width: 'minmax(190px, 240px)',
      cell: named,
      isText: true,
      isAlways: true,
    },
    {
      key: 'runway',
      name: 'runway',
      width: 'minmax(120px, 320px)',
      cell: strip,
      head: axis,
      isText: true,
    },
    { key: 'why', name: 'why', width: 'minmax(110px, 1fr)', cell: why, isText: true },
    { key: 'date', name: 'limit mark, likely', width: '108px', cell: date },
    { key: 'order', name: 'order by', width: '92px', cell: order, isPutAway: true },
    { key: 'fill', name: 'fill', width: '52px', cell: fill, isPutAway: true },
    { key: 'plannable', name: 'plannable', width: '82px', cell: plannable, isPutAway: true },
  ];
</script>

{#snippet named(pool: Pool)}
  <span class="flex items-center gap-2">
    <StateGlyph state={pool.attention} />
    <PoolGauge {pool} />
    <span class="min-w-0">
      <a class="lead block font-semibold hover:underline" href={bearing.href(`/pools/${pool.id}`)}
        >{pool.array_name} · {pool.name}</a
      >
      <span class="lead block text-xs text-ink-soft" title={exactBytes(pool.usable_bytes)}>
        {[pool.site_name, pool.service_class].filter(Boolean).join(' · ')} · {preferences.bytes(
          pool.usable_bytes,
        )}
      </span>
    </span>
  </span>
{/snippet}
{#snippet axis()}<RunwayAxis />{/snippet}
{#snippet strip(pool: Pool)}
  <RunwayStrip
    dates={pool.limit}
    leadTimeDays={pool.lead_time_days}
    orderByOn={pool.order_by_on}
    attention={pool.attention}
    class="block w-full max-w-80"
  />
{/snippet}
{#snippet why(pool: Pool)}
  <span
    class="line-clamp-2 text-xs leading-4 whitespace-normal text-ink-soft"
    title={pool.attention_because}><Sentence parts={pool.reason} /></span
  >
{/snippet}
{#snippet date(pool: Pool)}
  <span class="block font-semibold {worded(pool.attention)}">{limitDate(pool)}</span>
  <span class="block text-xs text-ink-soft">{range(pool)}</span>
{/snippet}
{#snippet order(pool: Pool)}{formatDay(pool.order_by_on)}{/snippet}
{#snippet fill(pool: Pool)}{share(pool)}{/snippet}
{#snippet plannable(pool: Pool)}
  <span title={exactBytes(pool.plannable_bytes)}>{preferences.bytes(pool.plannable_bytes)}</span>
{/snippet}
{#snippet fold()}
  <button
    class="text-depth-5 underline"
    onclick={() => void setQuery('open', isNoEndShown ? '' : 'no_end')}
    >{isNoEndShown ? 'hide those that ask nothing' : 'show all'}</button
  >
{/snippet}
{#snippet tools()}
  <ChosenTools
    things={pools
      .filter((pool) => chosen.has(pool.id))
      .map((pool) => ({ id: pool.id, kind: 'pool', name: pool.name }))}
    onnone={() => onchoose(new Set())}
  />
  <a class="min-h-6 text-xs underline" href={exportHref} download="pools.csv">CSV</a>
{/snippet}

{#if pools.length > 0}
  <Table
    name="today"
    label="What ends first"
    note="limit mark, likely date, 80 % range"
    {columns}
    of={{
      rows: groups.flatMap((group) => group.rows),
      groups,
      idOf: (pool) => pool.id,
      nAll: nAll ?? pools.length,
      onmore,
    }}
    choice={{ chosen, onchoose, onpreview }}
    rowPx={ROW_PX}
    empty=""
    isTall
    {tools}
  />
{:else}
  <h2 class="water">What ends first</h2>
  <div class="py-8 text-ink-soft">
    {#if bearing.sift}
      <p>No pool lies in this scope.</p>
      <button class="mt-1 text-depth-5 underline" onclick={() => bearing.widen()}
        >widen it by one step (Esc)</button
      >
    {:else}
      <p>No pool is known yet. Two ways to the first date:</p>
      <ol class="mt-2 flex max-w-prose list-decimal flex-col gap-1.5 pl-5 text-ink">
        <li>
          <a class="text-depth-5 underline" href="/feeds/table">send one table</a>: a row a pool and
          day with what is used and its size, as CSV, XLSX or Parquet. The dates follow within a
          minute.
        </li>
        <li>
          <a class="text-depth-5 underline" href="/feeds?feed=new">add a feed</a>: an array, a
          cluster, an exporter or an object store is read every few minutes from then on.
        </li>
      </ol>
    {/if}
  </div>
{/if}
