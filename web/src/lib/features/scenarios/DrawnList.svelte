<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { formatAge, preferences } from '$lib/format';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import Sentence from '$lib/ui/Sentence.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import {
    giveBack,
    goOn,
    readAllotmentsAnew,
    standOf,
    type Allotment,
    type Drawn,
  } from './allotments';

  /** What was made out of an allotment, how it is getting on, and giving it back. */
  interface Props {
    allotment: Allotment;
    mayProvision: boolean;
  }
  let { allotment, mayProvision }: Props = $props();
  const client = useQueryClient();
  let leaving: Drawn | null = $state.raw(null);
  let typed = $state('');
  const done = () => readAllotmentsAnew(client);
  const again = createMutation(() => ({
    mutationFn: (one: Drawn) => goOn(allotment, one),
    onSuccess: done,
  }));
  const back = createMutation(() => ({
    mutationFn: (told: { one: Drawn; confirms: string }) =>
      giveBack(allotment, told.one, told.confirms),
    onSuccess: async () => {
      leaving = null;
      await done();
    },
  }));

  function leave(one: Drawn) {
    typed = '';
    if (one.volume_name) leaving = one;
    else back.mutate({ one, confirms: '' });
  }
</script>

<ProblemNote of="That volume" error={again.error ?? back.error} />
{#each allotment.drawn as one (one.id)}
  <details class="border-b border-rule py-1" open={!one.is_made}>
    <summary class="grid cursor-pointer grid-cols-[auto_1fr_auto] gap-2">
      <span class="font-semibold">{one.name}</span>
      <span class={one.stopped && !one.is_made ? 'text-signal' : 'text-ink-soft'}
        >{standOf(one)}</span
      >
      <span class="figures">{preferences.bytes(one.size_bytes)}</span>
    </summary>
    <p class="text-ink-soft">
      {preferences.bytes(one.used_bytes)} used · by {one.asked_by}, {formatAge(one.asked_at)} ago
      {#if one.scenario_id}·
        <a class="text-plan underline" href={bearing.href(`/scenarios/${one.scenario_id}/order`)}
          >work order</a
        >{/if}
    </p>
    <ol class="list-decimal pl-5">
      {#each one.steps as step, index (index)}
        <li>
          <Sentence parts={step.title} isSigned={false} />
          <span class="text-ink-soft">{step.state}{step.found ? `: ${step.found}` : ''}</span>
        </li>
      {/each}
    </ol>
    {#if one.stopped && !one.is_made}<p class="text-signal">{one.stopped}</p>
    {:else if one.waits && !one.is_made}
      <p>
        waits: {one.waits_for === 'hand'
          ? 'the datastore is made by those who look after the cluster'
          : one.waits}
      </p>
    {/if}
    {#if one.is_leaving}
      <p>It is being deleted at its array; the next reading tells that it is gone.</p>
    {:else if one.is_planned && !one.volume_name}
      <p>It is part of a plan that {one.asked_by} accepted, and is made with that.</p>
    {:else if mayProvision}
      <div class="flex gap-2 pt-1">
        {#if one.stopped && !one.is_made && !one.is_planned}
          <Button size="xs" disabled={again.isPending} onclick={() => again.mutate(one)}
            >try again</Button
          >
        {/if}
        {#if !one.datastore_name}
          <button
            type="button"
            class="underline"
            disabled={back.isPending}
            onclick={() => leave(one)}>give it back</button
          >
        {/if}
      </div>
    {/if}
  </details>
{:else}
  <p class="text-ink-soft">Nothing was made of it yet.</p>
{/each}

<Dialog
  title="Delete {leaving?.volume_name ?? ''} at its array?"
  bind:open={() => leaving !== null, (isOpen) => !isOpen && (leaving = null)}
>
  {#if leaving}
    <form
      class="flex flex-col gap-3"
      onsubmit={(event) => {
        event.preventDefault();
        if (leaving && typed === leaving.volume_name)
          back.mutate({ one: leaving, confirms: typed });
      }}
    >
      <p>
        The volume is taken from every host that sees it, and all that is written on it is gone for
        good. Its {preferences.bytes(leaving.size_bytes)} are left of the allotment again.
      </p>
      <Field
        label="Type its name, {leaving.volume_name}"
        bind:value={typed}
        isFirst
        autocomplete="off"
      />
      <div class="flex gap-2">
        <Button
          type="submit"
          size="xs"
          color="red"
          disabled={typed !== leaving.volume_name || back.isPending}>delete it</Button
        >
        <Button size="xs" color="alternative" onclick={() => (leaving = null)}>keep it</Button>
      </div>
      <ProblemNote of="That volume" error={back.error} />
    </form>
  {/if}
</Dialog>
