<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { untrack } from 'svelte';
  import { asRefusal } from '$lib/api/refusal';
  import { formatCount, formatDay, preferences } from '$lib/format';
  import Clash from '$lib/ui/Clash.svelte';
  import Field from '$lib/ui/Field.svelte';
  import { setQuery } from '$lib/url/bearing.svelte';
  import {
    bytesTyped,
    changeAllotment,
    endAllotment,
    readAllotmentsAnew,
    type Allotment,
  } from './allotments';
  import DrawForm from './DrawForm.svelte';
  import DrawnList from './DrawnList.svelte';

  /** One allotment: what was made of it, one more, and how much it is. */
  interface Props {
    allotment: Allotment;
    mayPlan: boolean;
    mayProvision: boolean;
  }
  let { allotment, mayPlan, mayProvision }: Props = $props();
  const client = useQueryClient();
  let size = $state(untrack(() => preferences.bytes(allotment.allotted_bytes)));
  let isTried = $state(false);
  const typed = $derived(bytesTyped(size));
  const change = createMutation(() => ({
    mutationFn: (version: string) =>
      changeAllotment({ ...allotment, version }, { allotted_bytes: typed.bytes ?? 0 }),
    onSuccess: () => readAllotmentsAnew(client),
  }));
  const end = createMutation(() => ({
    mutationFn: () => endAllotment(allotment),
    onSuccess: async () => {
      await setQuery('allotment', '');
      await readAllotmentsAnew(client);
    },
  }));
  const figures = $derived([
    { name: 'allotted', told: preferences.bytes(allotment.allotted_bytes) },
    { name: 'provisioned', told: preferences.bytes(allotment.provisioned_bytes) },
    { name: 'used of that', told: preferences.bytes(allotment.used_bytes) },
    { name: 'left', told: preferences.bytes(allotment.left_bytes) },
    {
      name: 'I/O a second',
      told: allotment.min_iops
        ? `${formatCount(allotment.taken_min_iops)} of ${formatCount(allotment.min_iops)}`
        : 'none',
    },
  ]);
</script>

<h2 class="water">{allotment.tenant.name} of {allotment.pool.name}</h2>
<dl class="figures grid grid-cols-2 pt-1 pb-2">
  {#each figures as one (one.name)}
    <dt class="text-ink-soft">{one.name}</dt>
    <dd class={['text-right', one.name === 'left' && 'font-semibold']}>{one.told}</dd>
  {/each}
</dl>
<p class="pb-2 text-ink-soft">
  Held from {formatDay(allotment.from_on)}, by {allotment.made_by}.{allotment.note
    ? ` ${allotment.note}`
    : ''}
</p>
<DrawnList {allotment} {mayProvision} />
{#if mayProvision}<div class="pt-3"><DrawForm {allotment} /></div>{/if}
{#if mayPlan}
  <form
    class="mt-3 flex flex-col gap-2 border-t border-rule pt-2"
    aria-label="How much it is"
    onsubmit={(event) => {
      event.preventDefault();
      isTried = true;
      if (typed.bytes !== null) change.mutate(allotment.version);
    }}
  >
    <Field
      label="Allotted"
      bind:value={size}
      fault={isTried && typed.fault ? typed.fault : asRefusal(change.error)?.of('allotted_bytes')}
    />
    <Clash
      error={change.error}
      onreplace={(version) => change.mutate(version)}
      told={(stands) => `It is ${preferences.bytes(Number(stands.allotted_bytes))} now.`}
    />
    <div class="flex items-center gap-3">
      <Button type="submit" size="xs" disabled={change.isPending}>change</Button>
      <button type="button" class="underline" disabled={end.isPending} onclick={() => end.mutate()}
        >end it</button
      >
    </div>
    <p class="text-ink-soft">Ended, nothing is held any more; what was made of it stays.</p>
    {#if end.error}<p class="text-signal" role="alert">{end.error.message}</p>{/if}
  </form>
{/if}
