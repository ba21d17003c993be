<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import { keys } from '$lib/api/queries';
  import { formatCount, formatMoment } from '$lib/format';
  import Dialog from '$lib/ui/Dialog.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { writeQuery } from '$lib/url/bearing.svelte';
  import { NO_DRAFT } from './queries';
  import ReplayNote from './ReplayNote.svelte';
  import RevisionsLink from './RevisionsLink.svelte';
  import TierFound from './TierFound.svelte';
  import { retireTier, type FoundKind, type Tier, type TierRevision } from './tiers';

  /** A tier: what it promises and promised, and what other limits would do. */
  interface Props {
    tier: Tier;
    trial: number | null; // a maximum that is tried
    courseOf: number | null;
    mayPlan: boolean;
    days: number; // of which something was found
    found: FoundKind | null; // that is looked at
  }
  let { tier, trial, courseOf, mayPlan, days, found }: Props = $props();
  const client = useQueryClient();
  let isAsking = $state(false);
  const limit = $derived(
    trial === null || trial === tier.newest.max_iops
      ? null
      : {
          tier_id: tier.id,
          min_iops: Math.min(tier.newest.min_iops, trial),
          max_iops: trial,
        },
  );
  const retiring = createMutation(() => ({
    mutationFn: () => retireTier(tier.id),
    onSuccess: async () => {
      isAsking = false;
      await writeQuery({ tier: null, io: null }, { isStep: true });
      await readAnew(client, keys.promises);
    },
  }));
  const promised = (one: TierRevision) =>
    [
      `${formatCount(one.min_iops)} to ${formatCount(one.max_iops)} operations a second ` +
        (one.is_together ? 'for all its disks together' : 'for each disk'),
      one.burst > 1 ? `for a moment ${one.burst} times the maximum` : '',
      one.latency_ms === null ? '' : `within ${one.latency_ms} ms`,
    ]
      .filter(Boolean)
      .join(' · ');
</script>

{#snippet foundOf()}
  <TierFound tierKey={String(tier.id)} found={tier.found} {days} chosen={found} />
{/snippet}

<h2 class="water">{tier.name}</h2>
<p>{promised(tier.newest)}</p>
<p class="text-ink-soft">
  r{tier.newest.number}, {tier.newest.author}, {formatMoment(tier.newest.made_at)}{tier.newest.note
    ? `: ${tier.newest.note}`
    : ''}
</p>
<RevisionsLink n={tier.n_revisions} />
{#if mayPlan}
  <div class="mt-2 flex gap-2">
    <Button
      size="xs"
      onclick={() => void writeQuery({ ...NO_DRAFT, draft: `tier-${tier.id}` }, { isStep: true })}
      >{limit ? `revise it to ${formatCount(limit.max_iops)}` : 'revise it'}</Button
    >
    <Button
      size="xs"
      color="alternative"
      onclick={() =>
        void writeQuery(
          { ...NO_DRAFT, draft: 'tier-new', like: String(tier.id) },
          { isStep: true },
        )}>clone it</Button
    >
    <Button size="xs" color="alternative" onclick={() => (isAsking = true)}>retire it</Button>
  </div>
  {@render foundOf()}
  <ReplayNote
    {tier}
    {limit}
    {courseOf}
    onpick={(maximum) =>
      void writeQuery({ try: maximum === tier.newest.max_iops ? null : String(maximum) })}
  />
{:else}
  {@render foundOf()}
{/if}
<ProblemNote of="Tier" error={retiring.error} />
<Dialog title="Retire {tier.name}?" bind:open={isAsking}>
  <p>
    Its disks are in what is next nearest, or in no tier. Limits that are set stay set. Its
    revisions stay in the log.
  </p>
  <div class="mt-3 flex gap-2">
    <Button size="xs" disabled={retiring.isPending} onclick={() => retiring.mutate()}
      >retire it</Button
    >
    <Button size="xs" color="alternative" onclick={() => (isAsking = false)}>leave it</Button>
  </div>
</Dialog>
