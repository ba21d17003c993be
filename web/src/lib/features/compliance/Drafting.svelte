<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import DraftMargin from './DraftMargin.svelte';
  import { revisionsQuery, type Policy } from './queries';
  import TierDraftMargin from './TierDraftMargin.svelte';
  import { tierRevisionsQuery, type Tier } from './tiers';

  /** A policy or a tier as it is written, begun with what the address says. */
  interface Props {
    draft: string; // `new`, an id, and of tiers `tier-` before either
    policies: Policy[];
    tiers: Tier[];
    trial: number | null; // a maximum that was tried
    courseOf: number | null;
  }
  let { draft, policies, tiers, trial, courseOf }: Props = $props();
  const TIER = 'tier-';
  const asked = $derived(page.url.searchParams);
  const numberOf = (told: string | null) => (/^\d+$/.test(told ?? '') ? Number(told) : null);
  const isTier = $derived(draft.startsWith(TIER));
  const id = $derived(numberOf(draft.replace(TIER, '')));
  const likeId = $derived(id ?? numberOf(asked.get('like')));
  const number = $derived(numberOf(asked.get('as'))); // of the revision that it begins with
  const called = $derived(asked.get('name') ?? '');
  const policy = $derived(policies.find((one) => one.id === likeId) ?? null);
  const tier = $derived(tiers.find((one) => one.id === likeId) ?? null);
  const revisions = createQuery(() => ({
    ...revisionsQuery(likeId ?? 0),
    enabled: !isTier && likeId !== null && number !== null,
  }));
  const tierRevisions = createQuery(() => ({
    ...tierRevisionsQuery(likeId ?? 0),
    enabled: isTier && likeId !== null && number !== null,
  }));
  const isReady = $derived(
    number === null || (isTier ? tierRevisions.data : revisions.data) !== undefined,
  );
  const beginPolicy = $derived(
    revisions.data?.find((one) => one.number === number) ?? policy?.newest ?? null,
  );
  const beginTier = $derived(
    tierRevisions.data?.find((one) => one.number === number) ?? tier?.newest ?? null,
  );
</script>

<ProblemNote of="Revisions" error={isTier ? tierRevisions.error : revisions.error} />
{#if !isReady}
  <Pending of="its revisions" />
{:else if isTier}
  <TierDraftMargin tier={id === null ? null : tier} {called} begin={beginTier} {trial} {courseOf} />
{:else}
  <DraftMargin policy={id === null ? null : policy} {called} begin={beginPolicy} />
{/if}
