<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button, Checkbox } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import { keys } from '$lib/api/queries';
  import { asRefusal } from '$lib/api/refusal';
  import Clash from '$lib/ui/Clash.svelte';
  import Field from '$lib/ui/Field.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { writeQuery } from '$lib/url/bearing.svelte';
  import { NO_DRAFT } from './queries';
  import ReplayNote from './ReplayNote.svelte';
  import {
    drawUpTier,
    reviseTier,
    tierDraftOf,
    type Tier,
    type TierDraft,
    type TierRevision,
  } from './tiers';

  /** A tier as it is written: what its limits would have done stands under it. */
  interface Props {
    tier: Tier | null; // null: a new one
    called: string; // the name that a new one has at first
    begin: TierRevision | null; // what it begins with
    trial: number | null; // a maximum that was tried before
    courseOf: number | null;
  }
  let { tier, called, begin, trial, courseOf }: Props = $props();
  const client = useQueryClient();
  // svelte-ignore state_referenced_locally
  let name = $state(called);
  // svelte-ignore state_referenced_locally
  let draft = $state.raw<TierDraft>({
    ...tierDraftOf(begin),
    ...(trial === null ? {} : { max_iops: trial }),
  });
  const keep = createMutation(() => ({
    mutationFn: (version: string) =>
      tier ? reviseTier(tier.id, version, draft) : drawUpTier(name, draft),
    onSuccess: async (made) => {
      await writeQuery({ ...NO_DRAFT, try: null, tier: String(made.id) }, { isStep: true });
      await readAnew(client, keys.promises);
    },
  }));
  const faultOf = (field: string) => asRefusal(keep.error)?.of(field);
  const set = (told: Partial<TierDraft>) => (draft = { ...draft, ...told });
  const limit = $derived(
    tier && (draft.max_iops !== tier.newest.max_iops || draft.min_iops !== tier.newest.min_iops)
      ? { tier_id: tier.id, min_iops: draft.min_iops, max_iops: draft.max_iops }
      : null,
  );
  const isWhole = $derived(
    limit === null || (limit.max_iops > 0 && limit.min_iops <= limit.max_iops),
  );
  const numberOr = (told: string | number) => (String(told).trim() ? Number(told) : null);
</script>

<h2 class="water">{tier ? `${tier.name}, revision ${tier.newest.number + 1}` : 'A new tier'}</h2>
<form
  class="flex flex-col gap-1"
  onsubmit={(event) => {
    event.preventDefault();
    keep.mutate(tier?.version ?? '');
  }}
>
  {#if !tier}<Field label="Name" bind:value={name} isFirst fault={faultOf('name')} />{/if}
  <Field
    label="At least, operations a second"
    type="number"
    min="0"
    fault={faultOf('min_iops')}
    bind:value={() => draft.min_iops, (told) => set({ min_iops: Number(told) })}
  />
  <Field
    label="At most, operations a second"
    type="number"
    min="1"
    fault={faultOf('max_iops')}
    bind:value={() => draft.max_iops, (told) => set({ max_iops: Number(told) })}
  />
  <Field
    label="For a moment, times the maximum"
    type="number"
    min="1"
    fault={faultOf('burst')}
    bind:value={() => draft.burst ?? 1, (told) => set({ burst: Number(told) })}
  />
  <Field
    label="Within, ms (may stay empty)"
    type="number"
    fault={faultOf('latency_ms')}
    bind:value={() => draft.latency_ms ?? '', (told) => set({ latency_ms: numberOr(told) })}
  />
  <Checkbox
    checked={draft.is_together ?? false}
    onchange={(event) => set({ is_together: event.currentTarget.checked })}
    >all its disks share it</Checkbox
  >
  <Field
    label="Why"
    rows={2}
    bind:value={() => draft.note ?? '', (told) => set({ note: String(told) })}
  />
  <Clash error={keep.error} onreplace={(version) => keep.mutate(version)} />
  {#if !asRefusal(keep.error)}<ProblemNote of="The tier" error={keep.error} />{/if}
  <div class="mt-2 flex gap-2">
    <Button size="xs" type="submit" disabled={keep.isPending || (!tier && !name.trim())}
      >{tier ? 'accept the revision' : 'draw it up'}</Button
    >
    <Button size="xs" color="alternative" onclick={() => void writeQuery(NO_DRAFT)}>leave it</Button
    >
  </div>
</form>
{#if tier && isWhole}
  <ReplayNote {tier} {limit} {courseOf} onpick={(maximum) => set({ max_iops: maximum })} />
{/if}
