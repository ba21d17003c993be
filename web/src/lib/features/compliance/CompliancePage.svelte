<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { onMount } from 'svelte';
  import { page } from '$app/state';
  import { listen } from '$lib/api/pulse';
  import { sessionQuery } from '$lib/api/queries';
  import { counted } from '$lib/format';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing, writeQuery } from '$lib/url/bearing.svelte';
  import ChangedLately from './ChangedLately.svelte';
  import DraftMargin from './DraftMargin.svelte';
  import Matrix from './Matrix.svelte';
  import PolicyList from './PolicyList.svelte';
  import PolicyMargin from './PolicyMargin.svelte';
  import { policiesQuery, STATES } from './queries';
  import { KINDS } from '$lib/ui/thing/promises';
  import SubjectMargin from './SubjectMargin.svelte';
  import OffersMargin from './OffersMargin.svelte';
  import OffersTable from './OffersTable.svelte';
  import TierDraftMargin from './TierDraftMargin.svelte';
  import TierFound from './TierFound.svelte';
  import TierLanes from './TierLanes.svelte';
  import TierList from './TierList.svelte';
  import TierMargin from './TierMargin.svelte';
  import UnknownNames from './UnknownNames.svelte';
  import { FOUND, IO_STATES, OFFERING, tiersQuery } from './tiers';

  /** Which promise is broken, of whom and why; what a changed one would break. */
  const session = createQuery(sessionQuery);
  const client = useQueryClient();
  onMount(() => listen(client));
  const mayPlan = $derived(session.data?.rights.includes('plan') ?? false);
  const policies = createQuery(() => policiesQuery(bearing.asked));
  const asked = $derived(page.url.searchParams);
  const numberOf = (name: string) => {
    const told = asked.get(name) ?? '';
    return /^\d+$/.test(told) ? Number(told) : null;
  };
  const policyId = $derived(numberOf('policy'));
  const policy = $derived(policies.data?.find((one) => one.id === policyId) ?? null);
  const isUnpromised = $derived(asked.get('policy') === 'none');
  const subject = $derived(numberOf('subject'));
  const tiers = createQuery(() => tiersQuery(bearing.asked));
  const tierKey = $derived(asked.get('tier') ?? '');
  const tier = $derived(tiers.data?.results.find((one) => String(one.id) === tierKey) ?? null);
  const offering = $derived(OFFERING.find((kind) => kind === asked.get('offers')) ?? null);
  const isOfTiers = $derived(tierKey !== '' || offering !== null);
  const lanesWanted = $derived({
    tier: tierKey,
    state: IO_STATES.find((state) => state === asked.get('io')) ?? null,
    found: FOUND.find((kind) => kind === asked.get('found')) ?? null,
  });
  const nDays = $derived(tiers.data?.found_days ?? 0);
  const draftedTier = $derived(
    tiers.data?.results.find((one) => `tier-${one.id}` === draft) ?? null,
  );
  const draft = $derived(asked.get('draft'));
  const wanted = $derived({
    kind: KINDS.find((kind) => kind === asked.get('of')) ?? 'vm',
    policy: isUnpromised ? ('none' as const) : (policy?.id ?? null),
    state: STATES.find((state) => state === asked.get('state')) ?? null,
    rule: asked.get('rule'),
  });
  const kinds = $derived(
    new Map<string, number>(
      KINDS.map((kind) => [
        kind,
        (policy ? [policy] : (policies.data ?? []))
          .flatMap((one) => one.tally.filter((told) => told.kind === kind))
          .reduce((sum, told) => sum + Object.values(told.counts).reduce((a, b) => a + b, 0), 0),
      ]),
    ),
  );
</script>

<svelte:head><title>Compliance · Keel Mark</title></svelte:head>
<div class="page-grid-promises h-full">
  <section
    class="flex min-h-0 flex-col overflow-y-auto border-r border-rule pt-2 pb-6"
    aria-label="Promises"
    data-place="policies"
  >
    <div>
      <div class="flex items-baseline gap-3 px-4 pb-1">
        <h2 class="water">Promises</h2>
        <p class="text-ink-soft whitespace-nowrap max-xl:hidden">
          {policies.data ? counted('policy', policies.data.length) : ''}
        </p>
        {#if mayPlan}
          <button
            class="ml-auto text-depth-5 underline"
            onclick={() => void writeQuery({ draft: 'new', name: null }, { isStep: true })}
            >draw one up</button
          >
        {/if}
      </div>
      <ProblemNote
        class="mx-4"
        of="Policies"
        error={policies.error}
        onretry={() => policies.refetch()}
      />
      {#if policies.data?.length === 0}
        <p class="px-4 text-ink-soft">
          Nothing is promised yet. A policy is a named set of rules: how bytes are kept, copied and
          backed up, and where they may lie.
        </p>
      {:else if policies.data}
        <PolicyList
          policies={policies.data}
          chosen={isUnpromised ? 'none' : policyId}
          state={wanted.state}
        />
        <UnknownNames word="policy" {mayPlan} />
      {:else if !policies.error}
        <Pending of="policies" class="px-4" />
      {/if}
    </div>
    <!-- What is looked at stands first: neither is to push the other out of sight. -->
    <div class={isOfTiers ? 'order-first pb-3' : ''}>
      <div class="flex items-baseline gap-3 px-4 pt-3 pb-1">
        <h2 class="water">Tiers</h2>
        <p class="text-ink-soft whitespace-nowrap max-xl:hidden">least / most IOPS</p>
        {#if mayPlan}
          <button
            class="ml-auto text-depth-5 underline"
            onclick={() => void writeQuery({ draft: 'tier-new', name: null }, { isStep: true })}
            >draw up a tier</button
          >
        {/if}
      </div>
      <ProblemNote class="mx-4" of="Tiers" error={tiers.error} onretry={() => tiers.refetch()} />
      {#if tiers.data}
        {#if tiers.data.results.length === 0}
          <p class="px-4 text-ink-soft">
            No tiers yet. A QoS tier says how many operations a second a disk has at least, and how
            many it may do at most.
          </p>
        {/if}
        <TierList tiers={tiers.data} chosen={tierKey} />
        <UnknownNames word="tier" {mayPlan} />
        <p class="px-4 pt-2">
          <a
            class="text-depth-5 underline"
            href={bearing.href('/compliance?offers=volume')}
            aria-current={offering ? 'true' : undefined}>what places must offer</a
          >
        </p>
      {:else if !tiers.error}
        <Pending of="tiers" class="px-4" />
      {/if}
    </div>
  </section>
  <section class="flex min-h-0 flex-col px-4 pt-2" aria-label="Subjects">
    {#if offering}
      {#key offering}<OffersTable kind={offering} {mayPlan} />{/key}
    {:else if tierKey}
      <TierLanes {tier} wanted={lanesWanted} tiers={tiers.data?.results ?? []} {mayPlan} />
    {:else if policies.data && policies.data.length > 0}
      <Matrix {policy} {wanted} {kinds} policies={policies.data} {mayPlan} />
    {:else if policies.data && mayPlan}
      <Button
        size="xs"
        class="self-start"
        onclick={() => void writeQuery({ draft: 'new', name: null }, { isStep: true })}
        >draw up the first policy</Button
      >
    {/if}
  </section>
  <aside
    class="min-h-0 overflow-y-auto border-l border-rule bg-paper-raised px-4 pt-2 pb-6"
    aria-label="Promise"
  >
    {#if draft?.startsWith('tier-') && mayPlan && (draft === 'tier-new' || tiers.data)}
      {#key draft}
        <TierDraftMargin
          tier={draftedTier}
          called={asked.get('name') ?? ''}
          trial={numberOf('try')}
          courseOf={numberOf('course')}
        />
      {/key}
    {:else if tier}
      {#key tier.id}
        <TierMargin
          {tier}
          trial={numberOf('try')}
          courseOf={numberOf('course')}
          {mayPlan}
          days={nDays}
          found={lanesWanted.found}
        />
      {/key}
    {:else if offering}
      <OffersMargin kind={offering} rights={session.data?.rights ?? []} />
    {:else if isOfTiers}
      <h2 class="water">How to read it</h2>
      <p class="text-ink-soft">
        Held: a limit makes operations wait, or is pressed against, in two of the last three means.
        Starved: less than the minimum is done while operations stand in line.
      </p>
      {#if tierKey === 'none' && tiers.data}
        <TierFound
          {tierKey}
          found={tiers.data.found_untiered}
          days={nDays}
          chosen={lanesWanted.found}
        />
      {/if}
    {:else if draft && mayPlan && (draft === 'new' || policies.data)}
      {#key draft}
        <DraftMargin
          policy={policies.data?.find((one) => String(one.id) === draft) ?? null}
          called={asked.get('name') ?? ''}
        />
      {/key}
    {:else if subject !== null}
      {#key subject}
        <SubjectMargin id={subject} policies={policies.data ?? []} {mayPlan} />
      {/key}
    {:else if policy}
      {#key policy.id}<PolicyMargin {policy} {mayPlan} />{/key}
    {:else}
      <h2 class="water">How to read it</h2>
      <p class="text-ink-soft">
        A subject stands at its worst rule. Broken is known to be so; unproven means that nothing
        known tells, and says which feed would; settling changed lately and is judged when the time
        is over. Click a row, or Space, to see rule by rule what was found.
      </p>
      <ChangedLately />
    {/if}
  </aside>
</div>
