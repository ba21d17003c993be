<script lang="ts">
  import { goto } from '$app/navigation';
  import type { Pool } from '$lib/api/client';
  import { bearing } from '$lib/url/bearing.svelte';
  import RunwayAxis from '$lib/ui/RunwayAxis.svelte';
  import PoolRow from './PoolRow.svelte';
  import { grouped, type Group } from './reaches';

  interface Props {
    pools: Pool[];
    hasMore: boolean;
  }
  let { pools, hasMore }: Props = $props();

  let isNoEndShown = $state(false);
  let list: HTMLElement | undefined = $state();
  const groups = $derived(grouped(pools));
  const exportHref = $derived(`/api/v1/pools/export?scope=${encodeURIComponent(bearing.sift)}`);
  const shortest = $derived(Math.min(...pools.map((pool) => pool.lead_time_days)));

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

<div class="row-runway sticky top-0 z-10 bg-paper pt-2 pb-0.5">
  <h1 class="water col-span-3">What ends first</h1>
  <RunwayAxis />
  <p class="col-span-2 text-right text-ink-soft">
    limit mark, likely date, 80 % range ·
    <a class="text-depth-5 underline" href={exportHref} download="pools.csv">CSV</a>
  </p>
</div>
<!-- svelte-ignore a11y_no_noninteractive_element_interactions (arrows: a shortcut beside Tab) -->
<div bind:this={list} {onkeydown} role="list">
  {#each groups as group (group.reach)}
    <h2 class="mt-2 flex items-baseline gap-2 border-b border-rule pb-0.5">
      <span class="font-semibold"
        >{group.title}{group.reach === 'inside_lead_time' ? `, ${shortest} d to buy` : ''}</span
      >
      <span class="text-ink-soft"
        >{group.pools.length} pool{group.pools.length === 1 ? '' : 's'}</span
      >
      {#if group.reach === 'no_end'}
        <button class="text-depth-5 underline" onclick={() => (isNoEndShown = !isNoEndShown)}
          >{isNoEndShown ? 'hide those that ask nothing' : 'show all'}</button
        >
      {/if}
    </h2>
    {#each shownOf(group) as pool (pool.id)}
      <PoolRow {pool} />
    {/each}
  {:else}
    <div class="py-8 text-ink-soft">
      {#if bearing.sift}
        <p>No pool lies in this scope.</p>
        <button class="mt-1 text-depth-5 underline" onclick={() => bearing.widen()}
          >widen it by one step (Esc)</button
        >
      {:else}
        <p>No pool is known yet. A feed brings them in.</p>
        <button class="mt-1 text-depth-5 underline" onclick={() => goto('/feeds')}
          >go to the feeds</button
        >
      {/if}
    </div>
  {/each}
</div>
{#if hasMore}<p class="pt-2 text-ink-soft">
    The first {pools.length} are shown; narrow to see the others.
  </p>{/if}
