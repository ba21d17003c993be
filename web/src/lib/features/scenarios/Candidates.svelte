<script lang="ts">
  import type { Snippet } from 'svelte';
  import { counted, formatCount, preferences } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import RunwayPair from '$lib/ui/RunwayPair.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import MarginBar from './MarginBar.svelte';
  import { money } from './prices';
  import {
    CHECK_NAMES,
    endOf,
    leavesOf,
    missesOf,
    nameOf,
    reasonOf,
    type Candidate,
    type Check,
    type Placement,
  } from './placements';

  /** Where work can go, the best first; those that cannot take it, with what each misses. */
  interface Props {
    placement: Placement;
    action: string; // what is done with a place that takes it
    chosen?: number | null; // the id of the pool or datastore that it is on
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
  const MOST_COLUMNS = 7;
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
  // The tests that tell places apart, those that reject somebody first.
  const columns = $derived.by(() => {
    const told = placement.checks.filter((check) => check !== 'read');
    const misses = (check: Check) =>
      shown.some((one) => one.margins.some((m) => m.check === check && !m.is_cleared));
    const asked = told.filter((check) =>
      shown.some((one) => one.margins.some((m) => m.check === check && m.is_asked)),
    );
    const kept = [...asked].sort((a, b) => Number(misses(b)) - Number(misses(a)));
    const first = new Set(kept.slice(0, MOST_COLUMNS));
    return asked.filter((check) => first.has(check));
  });
  const scales = $derived(
    Object.fromEntries(
      columns.map((check) => [
        check,
        Math.max(
          ...shown.map((one) =>
            Math.abs(one.margins.find((margin) => margin.check === check)?.amount ?? 0),
          ),
          1,
        ),
      ]),
    ),
  );
  // Where it is now is told, however many are better.
  const cut = (rows: Candidate[]) =>
    isAll ? rows : rows.filter((one, at) => at < FIRST || isHere(one) || keyOf(one) === opened);
  const keyOf = (one: Candidate) =>
    [one.pool.id, one.cluster?.id ?? '', one.datastore?.id ?? ''].join('.');
  const n = (spread: Placement['spread']) => spread.reduce((sum, one) => sum + one.n_vms, 0);
  const named = (one: Candidate) => `${nameOf(one)}${one.cluster ? `, ${one.cluster.name}` : ''}`;
  const isHere = (one: Candidate) =>
    chosen !== null && (one.datastore ? one.datastore.id === chosen : one.pool.id === chosen);
  const hrefOf = (one: Candidate) =>
    bearing.href(one.datastore ? `/things/${one.datastore.id}` : `/pools/${one.pool.id}`);
  const about = (one: Candidate) =>
    [
      one.datastore ? one.pool.name : 'new datastore',
      one.extends_bytes > 0 ? `extended by ${preferences.bytes(one.extends_bytes)}` : '',
      one.cluster?.name ?? 'no cluster reaches it',
      one.service_class,
    ]
      .filter(Boolean)
      .join(' · ');
</script>

{#snippet row(one: Candidate)}
  <tr class={['border-b border-rule', isHere(one) && 'bg-depth-1']}>
    <td class="figures py-1 pr-2 font-semibold text-plan">{one.rank ?? '–'}</td>
    <th scope="row" class="max-w-64 py-0.5 pr-2 font-normal">
      <a class="lead block font-semibold hover:underline" href={hrefOf(one)}>{nameOf(one)}</a>
      <span class="lead block text-xs text-ink-soft" title={about(one)}>{about(one)}</span>
      <span
        class={['lead block text-xs', one.rank === null ? 'text-signal' : 'text-ink-soft']}
        title={one.rank === null ? missesOf(one) : reasonOf(one, placement.currency)}
        >{one.rank === null ? missesOf(one) : leavesOf(one)}</span
      >
    </th>
    {#each columns as check (check)}
      {@const margin = one.margins.find((told) => told.check === check)}
      <td class="py-1 pr-2"
        >{#if margin}<MarginBar {margin} scale={scales[check] ?? 1} />{/if}</td
      >
    {/each}
    <td
      class="figures py-1 pr-2 text-xs whitespace-nowrap"
      title={one.stopped_by ? `${CHECK_NAMES[one.stopped_by]} stops the next` : ''}
      >{formatCount(one.n_fit)}{#if one.stopped_by}<span class="block text-ink-soft"
          >{CHECK_NAMES[one.stopped_by]}</span
        >{/if}</td
    >
    {#if hasRunways}
      <td class="w-40 py-1 pr-2"
        ><RunwayPair before={one.before} after={one.after} leadTimeDays={one.lead_time_days} /></td
      >
    {/if}
    <td class="figures py-1 text-right">
      <span class="block font-semibold whitespace-nowrap text-plan">{endOf(one.after)}</span>
      {#if one.cost_a_month !== null}<span class="block text-xs whitespace-nowrap text-ink-soft"
          >{money(one.cost_a_month, placement.currency)} a month</span
        >{/if}
      {#if isHere(one)}<span class="text-ink-soft">it is here</span>{:else if one.rank !== null}
        <span class="whitespace-nowrap">
          {#if does && onopen}<button
              class="underline"
              aria-expanded={opened === keyOf(one)}
              aria-label="what it does: {named(one)}"
              onclick={() => onopen(opened === keyOf(one) ? '' : keyOf(one))}>what it does</button
            > ·{/if}
          <button
            class="text-depth-5 underline"
            aria-label="{action}: {named(one)}"
            onclick={() => onput(one)}>{action}</button
          >
        </span>{/if}
    </td>
  </tr>
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
    )} such VMs fit in all, over several places{placement.n_left > 0
      ? `; ${counted('VM', placement.n_left)} find none`
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
        {#each columns as check (check)}<th class="py-1 pr-2 font-normal">{CHECK_NAMES[check]}</th
          >{/each}
        <th class="py-1 pr-2 font-normal">fit, stopped by</th>
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
