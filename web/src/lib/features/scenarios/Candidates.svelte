<script lang="ts">
  import type { Snippet } from 'svelte';
  import { counted, formatCount } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import CandidateRow from './CandidateRow.svelte';
  import {
    CHECK_NAMES,
    columnsOf,
    isThere,
    nameOf,
    type Candidate,
    type Going,
    type Placement,
  } from './placements';

  /** Where work can go, the best first; those that cannot take it, with what each misses. */
  interface Props {
    placement: Placement;
    action: string; // what is done with a place that takes it
    chosen?: Going | null; // where it is
    hasRunways?: boolean;
    onput: (one: Candidate) => void;
    does?: Snippet<[Candidate]>; // what it does there, under the one that is opened
    opened?: string;
    onopen?: (key: string) => void;
    isApart?: boolean; // no two lie together: a place is asked for one
    onspread?: () => void; // plans it as it goes over several places
  }
  let {
    placement,
    action,
    chosen = null,
    hasRunways = false,
    onput,
    does,
    opened = '',
    onopen,
    isApart = false,
    onspread,
  }: Props = $props();
  const FIRST = 8;
  const N_OTHER_COLUMNS = 5;
  const KINDS = [
    { key: 'all', name: 'all places' },
    { key: 'new', name: 'new datastores' },
    { key: 'old', name: 'datastores there are' },
  ];
  let of = $state('all');
  let isAll = $state(false);
  const shown = $derived(
    placement.candidates.filter(
      (one) => of === 'all' || (of === 'new') === (one.datastore === null),
    ),
  );
  const fitting = $derived(shown.filter((one) => one.rank !== null));
  const rejected = $derived(shown.filter((one) => one.rank === null));
  const columns = $derived(columnsOf(placement.checks, shown));
  // Where it is now is told, however many are better.
  const cut = (rows: Candidate[]) =>
    isAll ? rows : rows.filter((one, at) => at < FIRST || isHere(one) || keyOf(one) === opened);
  const keyOf = (one: Candidate) =>
    [one.pool.id, one.cluster?.id ?? '', one.datastore?.id ?? ''].join('.');
  const n = (spread: Placement['spread']) => spread.reduce((sum, one) => sum + one.n_vms, 0);
  const isHere = (one: Candidate) => chosen !== null && isThere(chosen, one);
</script>

{#snippet row(one: Candidate)}
  <CandidateRow
    {one}
    {columns}
    currency={placement.currency}
    {hasRunways}
    isHere={isHere(one)}
    isOpen={opened === keyOf(one)}
    {action}
    onput={() => onput(one)}
    onopen={does && onopen ? () => onopen(opened === keyOf(one) ? '' : keyOf(one)) : undefined}
  />
  {#if does && opened === keyOf(one)}
    <tr class="border-b border-rule"
      ><td colspan={columns.length + N_OTHER_COLUMNS} class="pb-1">{@render does(one)}</td></tr
    >
  {/if}
{/snippet}

<div class="flex flex-wrap items-baseline gap-4">
  <Choice label="Which places" options={KINDS} value={of} onpick={(key) => (of = key)} />
  <p class="text-ink-soft">
    {fitting.length} take {isApart ? 'one' : 'all of it'}, {rejected.length} do not · {formatCount(
      placement.n_fit,
    )}
    {placement.n_fit === 1 ? 'such VM fits' : 'such VMs fit'} in all, over several places{placement.n_left >
    0
      ? `; ${counted('VM', placement.n_left)} ${placement.n_left === 1 ? 'finds' : 'find'} none`
      : ''}
  </p>
</div>
{#if placement.spread.length > 0 && (isApart || fitting.length === 0)}
  <p>
    Over several places {formatCount(n(placement.spread))} of them go: {placement.spread
      .slice(0, FIRST)
      .map((one) => `${one.n_vms} on ${nameOf(one)}`)
      .join(', ')}{placement.spread.length > FIRST
      ? ` and ${counted('place', placement.spread.length - FIRST)} more`
      : ''}.
    {#if onspread}<button class="text-depth-5 underline" onclick={onspread}>plan them so</button
      >{/if}
  </p>
{/if}
<!-- svelte-ignore a11y_no_noninteractive_tabindex (it is scrolled by keys where it is too wide) -->
<div role="region" tabindex="0" aria-label="Candidates, scrolled" class="overflow-x-auto">
  <table class="w-full text-left" aria-label="Candidates">
    <thead class="text-xs text-ink-soft">
      <tr class="border-b border-rule">
        <th><span class="sr-only">rank</span></th>
        <th class="py-1 font-normal">candidate</th>
        {#each columns as { check } (check)}<th class="py-1 pr-2 font-normal"
            >{CHECK_NAMES[check]}</th
          >{/each}
        <th class="py-1 pr-2 font-normal whitespace-nowrap">fit, stopped by</th>
        {#if hasRunways}<th class="py-1 pr-2 font-normal">runway as it is, with it</th>{/if}
        <th class="py-1 text-right font-normal"
          >then ends, likely{placement.currency ? '; costs' : ''}</th
        >
      </tr>
    </thead>
    <tbody>
      {#each cut(fitting) as one (keyOf(one))}
        {@render row(one)}
      {:else}
        <tr
          ><td colspan={columns.length + N_OTHER_COLUMNS} class="py-2"
            >No place of this scope takes {isApart ? 'one' : 'all of it'}; below, what each would
            miss.</td
          ></tr
        >
      {/each}
      {#each cut(rejected) as one (keyOf(one))}
        {@render row(one)}
      {/each}
    </tbody>
  </table>
</div>
{#if !isAll && (fitting.length > FIRST || rejected.length > FIRST)}
  <button class="pt-1 text-depth-5 underline" onclick={() => (isAll = true)}
    >all {formatCount(shown.length)}</button
  >
{/if}
