<script lang="ts">
  import { page } from '$app/state';
  import type { Pool } from '$lib/api/client';
  import { counted, formatCount } from '$lib/format';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import RunwayAxis from '$lib/ui/RunwayAxis.svelte';
  import PoolRow from './PoolRow.svelte';
  import { grouped, type Group } from './reaches';

  interface Props {
    pools: Pool[];
    hasMore: boolean;
    reaches: { name: string; n_pools: number }[]; // over all pages
    nAll: number | null;
  }
  let { pools, hasMore, reaches, nAll }: Props = $props();

  // In the address, so that Back finds the group as it was left.
  const isNoEndShown = $derived(page.url.searchParams.get('open') === 'no_end');
  let list: HTMLElement | undefined = $state();
  const groups = $derived(grouped(pools));
  const exportHref = $derived(`/api/v1/pools/export?scope=${encodeURIComponent(bearing.sift)}`);
  const shortest = $derived(Math.min(...pools.map((pool) => pool.lead_time_days)));

  const countOf = (group: Group) =>
    reaches.find((one) => one.name === group.reach)?.n_pools ?? group.pools.length;

  /** Without an end in sight, only what still asks to be looked at is shown unasked. */
  const shownOf = (group: Group) =>
    group.reach !== 'no_end' || isNoEndShown
      ? group.pools
      : group.pools.filter((pool) => !['clear', 'unread'].includes(pool.attention));

  /** Arrows walk the rows; Enter follows the row's own link. */
  function onkeydown(event: KeyboardEvent) {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (step === undefined || !list) return;
    const rows = [...list.querySelectorAll<HTMLAnchorElement>('a[data-row]')];
    const at = rows.indexOf(document.activeElement as HTMLAnchorElement);
    rows[Math.min(Math.max(at + step, 0), rows.length - 1)]?.focus();
    event.preventDefault();
  }
</script>

<div class="row-head sticky top-0 z-10 bg-paper pt-2 pb-0.5">
  <h2 class="water col-span-3">What ends first</h2>
  <span class="axis"><RunwayAxis /></span>
  <p class="col-span-2 text-right text-ink-soft">
    limit mark, likely date, 80 % range ·
    <a class="text-depth-5 underline" href={exportHref} download="pools.csv">CSV</a>
  </p>
</div>
<div bind:this={list} {onkeydown} role="presentation">
  {#each groups as group (group.reach)}
    <h3 class="mt-2 flex items-baseline gap-2 border-b border-rule pb-0.5">
      <span class="font-semibold"
        >{group.title}{group.reach === 'inside_lead_time' ? `, ${shortest} d to buy` : ''}</span
      >
      <span class="text-ink-soft">{counted('pool', countOf(group))}</span>
      {#if group.reach === 'no_end'}
        <button
          class="text-depth-5 underline"
          onclick={() => void setQuery('open', isNoEndShown ? '' : 'no_end')}
          >{isNoEndShown ? 'hide those that ask nothing' : 'show all'}</button
        >
      {/if}
    </h3>
    <ul aria-label={group.title}>
      {#each shownOf(group) as pool (pool.id)}
        <PoolRow {pool} />
      {/each}
    </ul>
  {:else}
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
            <a class="text-depth-5 underline" href="/feeds/table">send one table</a>: a row a pool
            and day with what is used and its size, as CSV, XLSX or Parquet. The dates follow within
            a minute.
          </li>
          <li>
            <a class="text-depth-5 underline" href="/feeds?feed=new">add a feed</a>: an array, a
            cluster, an exporter or an object store is read every few minutes from then on.
          </li>
        </ol>
      {/if}
    </div>
  {/each}
</div>
{#if hasMore}<p class="pt-2 text-ink-soft">
    The first {formatCount(pools.length)} of {nAll === null ? 'more' : counted('pool', nAll)} are shown;
    narrow to see the others.
  </p>{/if}
