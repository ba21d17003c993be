<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import { askChanges } from '$lib/api/changes';
  import { keys } from '$lib/api/queries';
  import { asRefusal } from '$lib/api/refusal';
  import { counted } from '$lib/format';
  import Field from '$lib/ui/Field.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import DriftCauses from './DriftCauses.svelte';
  import { offersChosen } from './offers-chosen.svelte';
  import { canBeRighted, changeOf, mustOf, pairOf, setOf, type Limits } from './righting';
  import type { Offer } from './tiers';

  /** From what to what the chosen volumes are set; one by itself may be set to anything. */
  interface Props {
    chosen: Offer[];
    mayCarryOut: boolean;
  }
  let { chosen, mayCarryOut }: Props = $props();
  const client = useQueryClient();
  const one = $derived(chosen.length === 1 ? chosen[0] : undefined);
  const settable = $derived(one?.can_be_set ? [one] : chosen.filter(canBeRighted));
  const left = $derived(chosen.filter((each) => !settable.includes(each)));
  let key = $state(crypto.randomUUID());
  let typed = $state.raw<Limits | null>(null);
  let why = $state('');
  const limits = $derived(typed ?? (one ? mustOf(one) : null));
  const wantedOf = (each: Offer) => (one && limits ? limits : mustOf(each));
  const isSame = $derived(
    one !== undefined &&
      limits !== null &&
      limits.least === setOf(one).least &&
      limits.most === setOf(one).most,
  );
  const asking = createMutation(() => ({
    mutationFn: () =>
      askChanges(key, {
        changes: settable.map((each) => changeOf(each, wantedOf(each))),
        why,
        is_released: mayCarryOut,
      }),
    onSuccess: async () => {
      offersChosen.ids = new Set();
      await readAnew(client, keys.changes);
      await readAnew(client, keys.promises);
    },
    onError: () => (key = crypto.randomUUID()),
  }));
  const faultOf = (at: number) => asRefusal(asking.error)?.of(`changes/${at}`);
  const numberOf = (told: string | number) => Math.max(0, Math.round(Number(told) || 0));
  const verb = $derived(mayCarryOut ? 'set' : 'plan');
</script>

<h2 class="water">{one ? one.name : counted('volume', chosen.length)}</h2>
{#if one}
  {#if one.home}<p class="text-ink-soft">{one.home}</p>{/if}
  <dl class="mt-2 grid grid-cols-2 gap-x-3">
    <dt>must offer</dt>
    <dd class="figures">{pairOf(one.must_min_iops, one.must_max_iops)}</dd>
    <dt>is set to</dt>
    <dd class="figures">{pairOf(one.set_min_iops, one.set_max_iops)}</dd>
    <dt>disks with a tier</dt>
    <dd class="figures">{one.n_disks}</dd>
  </dl>
  {#if one.left_alone}
    <p class="text-signal">Left alone by itself: {one.left_alone}.</p>
  {/if}
{/if}
{#if settable.length > 0}
  <form
    class="mt-2 flex flex-col gap-1"
    onsubmit={(event) => {
      event.preventDefault();
      asking.mutate();
    }}
  >
    {#if one && limits}
      <Field
        label="Least, operations a second"
        type="number"
        min="0"
        bind:value={() => limits.least, (told) => (typed = { ...limits, least: numberOf(told) })}
      />
      <Field
        label="Most, operations a second"
        type="number"
        min="1"
        fault={faultOf(0)}
        bind:value={() => limits.most, (told) => (typed = { ...limits, most: numberOf(told) })}
      />
      {#if one.n_untiered > 0}
        <p class="text-signal">
          {counted('disk', one.n_untiered)} on it without a tier would be held back by it, too.
        </p>
      {/if}
    {:else}
      <ul class="max-h-80 overflow-y-auto border-y border-rule">
        {#each settable as each, at (each.id)}
          <li class="flex justify-between gap-2 py-0.5">
            <span class="min-w-0">
              <span class="lead block font-semibold">{each.name}</span>
              <span class="lead block text-xs text-ink-soft">{each.home}</span>
            </span>
            <span class="figures whitespace-nowrap">
              {pairOf(each.set_min_iops, each.set_max_iops)} → {pairOf(
                each.must_min_iops,
                each.must_max_iops,
              )}
            </span>
            {#if faultOf(at)}<span class="text-signal">{faultOf(at)}</span>{/if}
          </li>
        {/each}
      </ul>
    {/if}
    <Field label="Why" rows={2} bind:value={why} />
    {#if !asRefusal(asking.error)?.of('changes/0')}
      <ProblemNote of="The change" error={asking.error} />
    {/if}
    <div class="mt-1 flex gap-2">
      <Button size="xs" type="submit" disabled={asking.isPending || isSame}
        >{verb} {counted('volume', settable.length)}</Button
      >
      <Button size="xs" color="alternative" onclick={() => (offersChosen.ids = new Set())}
        >leave it</Button
      >
    </div>
    <p class="text-ink-soft">
      {mayCarryOut
        ? 'Sent at once, compared with what was seen, and read back.'
        : 'An operator lets it go; nothing is sent before.'}
    </p>
  </form>
{/if}
{#if left.length > 0 && !one}
  <h3 class="mt-3 font-semibold">Left alone</h3>
  <ul>
    {#each left as each (each.id)}
      <li class="py-0.5">
        <span class="font-semibold">{each.name}</span>
        <span class="text-ink-soft">{each.left_alone ?? 'has not drifted'}</span>
      </li>
    {/each}
  </ul>
{:else if one && settable.length === 0}
  <p class="mt-2 text-ink-soft">
    It cannot be set from here: {one.left_alone || 'nobody tells to what it is set'}.
  </p>
{/if}
{#if one && one.n_disks > 0}<DriftCauses volumeId={one.id} />{/if}
