<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { tick } from 'svelte';
  import { formatDay, preferences } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import { onChord } from '$lib/ui/keys.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing, setQuery, writeQuery } from '$lib/url/bearing.svelte';
  import { GROWTH_WINDOWS, growthDays } from '$lib/ui/windows';
  import { HEIGHTS, oneOf, WAYS } from './choices';
  import { strataQuery } from './queries';
  import Strata from './Strata.svelte';

  interface Props {
    path: number[];
  }
  let { path }: Props = $props();
  const asked = $derived(page.url.searchParams);
  const way = $derived(oneOf(WAYS, asked.get('way'), 'storage'));
  const height = $derived(oneOf(HEIGHTS, asked.get('height'), 'used'));
  const windowDays = $derived(growthDays(asked.get('window')));
  const strata = createQuery(() =>
    strataQuery(
      { ...bearing.asked, ...(height === 'grown' ? { window: windowDays } : {}) },
      { way, height, path: path.join(',') },
    ),
  );
  const total = $derived(strata.data?.layers[0]?.total);

  // One step of the path first: only then does Esc widen the scope.
  onChord('Escape', 'Esc', 'in the strata: goes back one layer', (event) => {
    if (event.defaultPrevented || path.length === 0) return;
    if (event.target instanceof HTMLInputElement) return;
    event.preventDefault();
    const stays = path.at(-2) ?? path.at(-1);
    void setQuery('path', path.slice(0, -1).join(','), { isStep: true })
      .then(tick)
      .then(() => document.querySelector<HTMLElement>(`[data-member="${stays}"]`)?.focus());
  });
</script>

<div class="flex flex-wrap items-baseline gap-x-5 gap-y-1 pb-2">
  <Choice
    label="Way in"
    options={WAYS}
    value={way}
    onpick={(key) =>
      void writeQuery({ way: key === 'storage' ? null : key, path: null }, { isStep: true })}
  />
  <span class="ml-auto flex flex-wrap items-baseline gap-x-3 text-ink-soft"
    >height is
    <Choice
      label="Height is"
      options={HEIGHTS}
      value={height}
      onpick={(key) => void setQuery('height', key === 'used' ? '' : key)}
    />
    {#if height === 'grown'}
      <Choice
        label="Grown over"
        options={[...GROWTH_WINDOWS]}
        value={String(windowDays)}
        onpick={(key) => void setQuery('window', key)}
      />
    {/if}
  </span>
</div>
{#if strata.error}
  <ProblemNote of="Strata" error={strata.error} onretry={() => strata.refetch()} />
{:else if strata.data}
  {#if strata.data.at.when !== 'now'}
    <p class={strata.data.at.when === 'forecast' ? 'pb-1 text-plan' : 'pb-1 text-ink-soft'}>
      {strata.data.at.when === 'forecast' ? 'Forecast for' : 'As it was read on'}
      {formatDay(strata.data.at.day)}{strata.data.at.when === 'forecast'
        ? `, ${strata.data.at.quantile === 'bad' ? 'each at its bad case, exceeded once in ten' : 'as likely more as less'}`
        : ''}: {preferences.bytes(total?.known_bytes, height === 'grown')} in all{total?.n_unread
        ? `, ${total.n_unread} not read`
        : ''}.
    </p>
  {/if}
  {#if strata.data.layers[0]?.members.length}
    <Strata
      layers={strata.data.layers}
      {path}
      isSigned={height === 'grown'}
      onpath={(told) => void setQuery('path', told.join(','), { isStep: true })}
    />
  {:else}
    <p class="py-4 text-ink-soft">
      Nothing lies within this scope on this day. Esc widens it by one step; without a scope all
      that feeds tell of would be here.
    </p>
  {/if}
{:else}
  <Pending of="the estate" />
{/if}
