<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { writeQuery } from '$lib/url/bearing.svelte';
  import { NO_DRAFT } from './queries';
  import { keptOfTier } from './revisions';
  import RevisionTable from './RevisionTable.svelte';
  import { tierRevisionsQuery, type Tier } from './tiers';

  /** All that a tier promised, one revision beside the other. */
  interface Props {
    tier: Tier;
    mayPlan: boolean;
  }
  let { tier, mayPlan }: Props = $props();
  const revisions = createQuery(() => tierRevisionsQuery(tier.id));
  const kept = $derived((revisions.data ?? []).map(keptOfTier));
  const begin = (number: number) =>
    void writeQuery(
      { ...NO_DRAFT, draft: `tier-${tier.id}`, as: String(number) },
      { isStep: true },
    );
</script>

<ProblemNote of="Revisions" error={revisions.error} onretry={() => revisions.refetch()} />
{#if revisions.data}
  <RevisionTable name={tier.name} revisions={kept} {...mayPlan ? { onbegin: begin } : {}} />
{:else if !revisions.error}
  <Pending of="its revisions" />
{/if}
