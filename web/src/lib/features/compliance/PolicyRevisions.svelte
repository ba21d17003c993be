<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { writeQuery } from '$lib/url/bearing.svelte';
  import { NO_DRAFT, revisionsQuery, ruleKindsQuery, type Policy } from './queries';
  import { keptOfPolicy } from './revisions';
  import RevisionTable from './RevisionTable.svelte';

  /** All that a policy promised, one revision beside the other. */
  interface Props {
    policy: Policy;
    mayPlan: boolean;
  }
  let { policy, mayPlan }: Props = $props();
  const revisions = createQuery(() => revisionsQuery(policy.id));
  const known = createQuery(() => ruleKindsQuery());
  const abouts = $derived(new Map((known.data?.kinds ?? []).map((one) => [one.kind, one.about])));
  const kept = $derived((revisions.data ?? []).map((one) => keptOfPolicy(one, abouts)));
  const begin = (number: number) =>
    void writeQuery(
      { ...NO_DRAFT, draft: String(policy.id), as: String(number) },
      { isStep: true },
    );
</script>

<ProblemNote of="Revisions" error={revisions.error} onretry={() => revisions.refetch()} />
{#if revisions.data}
  <RevisionTable name={policy.name} revisions={kept} {...mayPlan ? { onbegin: begin } : {}} />
{:else if !revisions.error}
  <Pending of="its revisions" />
{/if}
