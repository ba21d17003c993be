<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Checkbox, Label } from 'flowbite-svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { drawUp, putMoves } from '$lib/api/scenarios';
  import { formatDay, preferences } from '$lib/format';
  import { textOf } from '$lib/ui/events';
  import Field from '$lib/ui/Field.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing, writeQuery } from '$lib/url/bearing.svelte';
  import IntoScenario from './IntoScenario.svelte';
  import ObjectCandidates from './ObjectCandidates.svelte';
  import {
    formOf,
    moveOf,
    objectPlacementQuery,
    objectsOf,
    TIERS,
    tiersOf,
    tiersWith,
    type Form,
    type ObjectCandidate,
  } from './objects';

  /** Where objects go: which bucket, in which tier, until when its account's quota lasts. */
  const form = $derived(formOf(page.url.searchParams));
  const asked = $derived(objectsOf(form));
  const client = useQueryClient();
  const placement = createQuery(() =>
    objectPlacementQuery(asked.objects, {
      ...(bearing.sift ? { scope: bearing.sift } : {}),
      ...(bearing.scenario === null ? {} : { scenario: bearing.scenario }),
    }),
  );
  const into = $derived(page.url.searchParams.get('into') ?? String(bearing.scenario ?? ''));
  let refused: Error | null = $state(null);
  const isAsked = (tier: (typeof TIERS)[number]) =>
    form.tiers === '' || tiersOf(form.tiers).includes(tier);

  function change(name: keyof Form, text: string) {
    void writeQuery({ [name]: text });
  }

  async function put(one: ObjectCandidate) {
    if (!asked.objects) return;
    try {
      const scenario = into
        ? Number(into)
        : (await drawUp(client, `Objects in ${one.bucket.name}`)).id;
      const made = await putMoves(scenario, [moveOf(asked.objects, one)]);
      await goto(bearing.href(`/scenarios/${scenario}?move=${made.moves.at(-1)?.number ?? ''}`));
    } catch (error) {
      refused = error instanceof Error ? error : new Error(String(error));
    }
  }
</script>

<svelte:head><title>Where objects go · Keel Mark</title></svelte:head>
<div class="page-grid-place h-full">
  <aside class="min-h-0 overflow-y-auto border-r border-rule bg-paper-raised px-4 pt-2 pb-6">
    <h1 class="water pb-1">Where objects go</h1>
    <p class="pb-1 text-ink-soft">
      <a class="underline" href={bearing.href('/try')}>VMs and their disks</a>
    </p>
    <form class="flex flex-col gap-2" onsubmit={(event) => event.preventDefault()}>
      <div>
        <Field
          label="Objects at first"
          fault={asked.faults.first}
          bind:value={() => form.first, (told) => change('first', String(told))}
        />
      </div>
      <div>
        <Field
          label="Growth a week"
          placeholder="none"
          fault={asked.faults.growth}
          bind:value={() => form.growth, (told) => change('growth', String(told))}
        />
      </div>
      <Label class="text-ink-soft">
        Must last until
        <input
          type="date"
          class="mt-0.5 block h-7 w-full border bg-paper px-2 py-0 text-sm text-ink"
          value={form.until}
          aria-invalid={asked.faults.until ? 'true' : undefined}
          oninput={(event) => change('until', textOf(event))}
        />
        {#if asked.faults.until}<span class="text-signal">{asked.faults.until}</span>{/if}
      </Label>
      <fieldset>
        <legend class="pb-1 font-medium text-ink-soft">In which tiers</legend>
        <div class="flex gap-4">
          {#each TIERS as tier (tier)}
            <Checkbox
              checked={isAsked(tier)}
              class="text-sm text-ink"
              onchange={() => change('tiers', tiersWith(form.tiers, tier))}>{tier}</Checkbox
            >
          {/each}
        </div>
      </fieldset>
    </form>
    {#if placement.data}
      <p class="mt-3 border-t border-rule pt-2 text-ink-soft">
        {preferences.bytes(placement.data.held_by_then_bytes)} are held by {formatDay(form.until)}.
        Nothing is changed anywhere and nothing is held.
        {#if placement.data.currency === ''}Tiers have no <a
            class="underline"
            href={bearing.href('/prices')}>prices</a
          > yet, so none is dearer.{/if}
      </p>
    {/if}
  </aside>
  <section
    data-place="tryobjects"
    class="min-h-0 overflow-y-auto px-4 pt-2 pb-6"
    aria-label="Where they can go"
  >
    <IntoScenario until={form.until} {into} />
    <ProblemNote of="The scenario" error={refused} />
    {#if placement.isError}
      <ProblemNote of="These objects" error={placement.error} onretry={() => placement.refetch()} />
    {:else if placement.data}
      <ObjectCandidates placement={placement.data} onput={(one) => void put(one)} />
    {:else if asked.objects === null}
      <p class="pt-4 text-ink-soft">
        Mend the marked fields at the left; the places follow at once.
      </p>
    {:else}
      <Pending of="every bucket" class="pt-4" />
    {/if}
  </section>
</div>
