<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { goto } from '$app/navigation';
  import { sessionQuery } from '$lib/api/queries';
  import { drawUp, scenariosQuery, type ScenarioBrief } from '$lib/api/scenarios';
  import { counted, formatAge, formatCount, formatDay } from '$lib/format';
  import Field from '$lib/ui/Field.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing } from '$lib/url/bearing.svelte';

  /** What is tried by whom, what ends first with it, and what of it cannot be. */
  const client = useQueryClient();
  const session = createQuery(sessionQuery);
  const mayPlan = $derived(session.data?.rights.includes('plan') ?? false);
  const scenarios = createQuery(scenariosQuery);
  const open = $derived((scenarios.data ?? []).filter((one) => one.state !== 'dropped'));
  const dropped = $derived((scenarios.data ?? []).filter((one) => one.state === 'dropped'));
  let name = $state('');
  let error: Error | null = $state(null);

  async function begin(event: SubmitEvent) {
    event.preventDefault();
    try {
      const made = await drawUp(client, name);
      await goto(bearing.href(`/scenarios/${made.id}`));
    } catch (refused) {
      error = refused instanceof Error ? refused : new Error(String(refused));
    }
  }
  const span = (one: ScenarioBrief) =>
    one.first_on === null
      ? '–'
      : one.first_on === one.last_on
        ? formatDay(one.first_on)
        : `${formatDay(one.first_on)} to ${formatDay(one.last_on)}`;
</script>

{#snippet row(one: ScenarioBrief)}
  <tr class="border-b border-rule align-top">
    <th scope="row" class="py-1.5 pr-3 font-normal">
      <a class="font-semibold text-plan hover:underline" href={bearing.href(`/scenarios/${one.id}`)}
        >{one.name}</a
      >
      {#if one.note}<span class="block max-w-prose text-ink-soft">{one.note}</span>{/if}
    </th>
    <td class="py-1.5 pr-3">{one.state}</td>
    <td class="py-1.5 pr-3"
      >{counted('move', one.n_moves)}{#if one.n_barred > 0}<span class="block text-signal"
          >{one.n_barred} cannot be</span
        >{/if}</td
    >
    <td class="py-1.5 pr-3">{span(one)}</td>
    <td class="py-1.5 pr-3"
      >{one.first_end ? formatDay(one.first_end.on) : 'no end in sight'}{#if one.first_end}<span
          class="block text-xs text-ink-soft">{one.first_end.name}</span
        >{/if}</td
    >
    <td class="py-1.5 pr-3 text-right">{formatCount(one.spends)}</td>
    <td class="py-1.5 pr-3">{one.owner}{one.is_shared ? ', team' : ''}</td>
    <td class="py-1.5 text-ink-soft">{formatAge(one.changed_at)} ago</td>
  </tr>
{/snippet}

<svelte:head><title>Scenarios · Keel Mark</title></svelte:head>
<div class="h-full overflow-y-auto px-4 pt-2 pb-6">
  <div class="flex flex-wrap items-end gap-4 pb-2">
    <h1 class="water">Scenarios</h1>
    <p class="text-ink-soft">what is tried; nothing is changed on any array</p>
    {#if mayPlan}
      <form class="ml-auto flex items-end gap-2" onsubmit={begin}>
        <Field label="A new one, called" bind:value={name} placeholder="Spring intake" />
        <Button type="submit" size="xs" color="primary" disabled={name.trim() === ''}
          >draw it up</Button
        >
        <a class="pb-1 text-depth-5 underline" href={bearing.href('/try')}>where does work fit?</a>
        <a class="pb-1 text-depth-5 underline" href={bearing.href('/allotments')}>allotments</a>
        <a class="pb-1 text-depth-5 underline" href={bearing.href('/prices')}>prices</a>
      </form>
    {/if}
  </div>
  <ProblemNote of="The new scenario" {error} />
  <ProblemNote of="Scenarios" error={scenarios.error} onretry={() => scenarios.refetch()} />
  {#if scenarios.data}
    {#if open.length === 0}
      <p class="max-w-prose text-ink-soft">
        No scenarios yet. One is a dated list of moves – work that comes, bytes that are freed or
        migrated, drives that are bought – and shows what they do to every runway, promise and
        cluster before anything is done. Draw one up here, or put something into one from its own
        page.
      </p>
    {:else}
      <table class="figures w-full text-left" aria-label="Scenarios">
        <thead class="text-ink-soft">
          <tr class="border-t-2 border-b border-ink border-b-rule">
            {#each ['scenario', 'state', 'moves', 'when', 'ends first, likely', 'spend', 'of', 'changed'] as head (head)}
              <th class={['py-1 pr-3 font-normal', head === 'spend' && 'text-right']}>{head}</th>
            {/each}
          </tr>
        </thead>
        <tbody
          >{#each open as one (one.id)}{@render row(one)}{/each}</tbody
        >
      </table>
    {/if}
    {#if dropped.length > 0}
      <details class="pt-4">
        <summary class="cursor-pointer">{dropped.length} dropped</summary>
        <table class="figures w-full text-left" aria-label="Dropped scenarios">
          <tbody
            >{#each dropped as one (one.id)}{@render row(one)}{/each}</tbody
          >
        </table>
      </details>
    {/if}
  {:else if !scenarios.error}
    <Pending of="scenarios" />
  {/if}
</div>
