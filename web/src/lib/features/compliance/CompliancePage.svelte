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
  import Drafting from './Drafting.svelte';
  import Matrix from './Matrix.svelte';
  import PolicyList from './PolicyList.svelte';
  import PolicyMargin from './PolicyMargin.svelte';
  import { NO_DRAFT, policiesQuery, STATES } from './queries';
  import { KINDS } from '$lib/ui/thing/promises';
  import PolicyRevisions from './PolicyRevisions.svelte';
  import SeveralReplay from './SeveralReplay.svelte';
  import SubjectMargin from './SubjectMargin.svelte';
  import OffersMargin from './OffersMargin.svelte';
  import OffersTable from './OffersTable.svelte';
  import TierFound from './TierFound.svelte';
  import LaneGroups from './LaneGroups.svelte';
  import TierLanes from './TierLanes.svelte';
  import TierList from './TierList.svelte';
  import TierMargin from './TierMargin.svelte';
  import TierRevisions from './TierRevisions.svelte';
  import UnknownNames from './UnknownNames.svelte';
  import { FOUND, GROUPS, IO_STATES, OFFERING, tiersQuery } from './tiers';

  /** Which promise is broken, of whom and why; what a changed one would break. */
  const ALL = 'all'; // disks of any tier and of none
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
    tier: tierKey === ALL ? '' : tierKey,
    on: numberOf('on'),
    state: IO_STATES.find((state) => state === asked.get('io')) ?? null,
    found: FOUND.find((kind) => kind === asked.get('found')) ?? null,
  });
  const by = $derived(GROUPS.find((kind) => kind === asked.get('by')) ?? null);
  const title = $derived(tier?.name ?? (tierKey === ALL ? 'All disks' : 'In no tier'));
  const nDays = $derived(tiers.data?.found_days ?? 0);
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
            onclick={() => void writeQuery({ ...NO_DRAFT, draft: 'new' }, { isStep: true })}
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
            onclick={() => void writeQuery({ ...NO_DRAFT, draft: 'tier-new' }, { isStep: true })}
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
        <TierList tiers={tiers.data} chosen={tierKey} {by} />
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
    {:else if asked.has('revisions') && tier}
      {#key tier.id}<TierRevisions {tier} {mayPlan} />{/key}
    {:else if asked.has('revisions') && policy}
      {#key policy.id}<PolicyRevisions {policy} {mayPlan} />{/key}
    {:else if tierKey}
      {#if by}
        {#key by}
          <LaneGroups {title} wanted={lanesWanted} {by} {tierKey} hasTier={tier !== null} />
        {/key}
      {:else}
        <TierLanes
          {tier}
          {title}
          wanted={lanesWanted}
          tiers={tiers.data?.results ?? []}
          {mayPlan}
        />
      {/if}
    {:else if policies.data && policies.data.length > 0}
      <Matrix {policy} {wanted} {kinds} policies={policies.data} {mayPlan} />
    {:else if policies.data && mayPlan}
      <Button
        size="xs"
        class="self-start"
        onclick={() => void writeQuery({ ...NO_DRAFT, draft: 'new' }, { isStep: true })}
        >draw up the first policy</Button
      >
    {/if}
  </section>
  <aside
    class="min-h-0 overflow-y-auto border-l border-rule bg-paper-raised px-4 pt-2 pb-6"
    aria-label="Promise"
  >
    {#if draft && mayPlan && tiers.data && policies.data}
      {#key draft + asked.get('as')}
        <Drafting
          {draft}
          policies={policies.data}
          tiers={tiers.data.results}
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
      {#if by}
        <p class="mt-2 text-ink-soft">
          Added up, the dot is what all disks of a line do together, the ring what they do at this
          instant, the band what their tiers promise and allow them in all. It is drawn where each
          of them has a tier.
        </p>
      {/if}
      {#if tierKey === ALL && tiers.data && mayPlan}
        <SeveralReplay
          tiers={tiers.data.results}
          tries={asked.get('tries') ?? ''}
          courseOf={numberOf('course')}
        />
      {/if}
      {#if tierKey === 'none' && tiers.data}
        <TierFound
          {tierKey}
          found={tiers.data.found_untiered}
          days={nDays}
          chosen={lanesWanted.found}
        />
      {/if}
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
