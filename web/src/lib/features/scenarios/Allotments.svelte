<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { sessionQuery } from '$lib/api/queries';
  import { counted, preferences } from '$lib/format';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import AllotForm from './AllotForm.svelte';
  import AllotmentBar from './AllotmentBar.svelte';
  import AllotmentMargin from './AllotmentMargin.svelte';
  import { allotmentsQuery, standOf, type Allotment } from './allotments';

  /** What each team may still provision by itself, of which pool, and what it has made of it. */
  const session = createQuery(sessionQuery);
  const mayPlan = $derived(session.data?.rights.includes('plan') ?? false);
  const mayProvision = $derived(session.data?.rights.includes('provision') ?? false);
  const seesPools = $derived(session.data?.rights.includes('read feeds') ?? false);
  const allotments = createQuery(allotmentsQuery);
  const chosenId = $derived(page.url.searchParams.get('allotment') ?? '');
  const chosen = $derived(allotments.data?.find((one) => String(one.id) === chosenId));
  const most = $derived(Math.max(0, ...(allotments.data ?? []).map((one) => one.allotted_bytes)));
  const tenants = $derived(
    Object.entries(Object.groupBy(allotments.data ?? [], (one) => one.tenant.name)),
  );
  const pathTo = (one: Allotment) =>
    bearing.href(one === chosen ? '/allotments' : `/allotments?allotment=${one.id}`);
  const making = (one: Allotment) => one.drawn.filter((drawn) => !drawn.is_made);
  const about = (one: Allotment) =>
    [one.home_name, one.site_name, one.service_class].filter(Boolean).join(' · ');
</script>

{#snippet row(one: Allotment)}
  <tr class={['border-b border-rule align-top', one === chosen && 'bg-depth-1']}>
    <th scope="row" class="w-48 py-1.5 pr-3 font-normal">
      <a
        class="font-semibold text-plan hover:underline"
        href={pathTo(one)}
        aria-current={one === chosen ? 'true' : undefined}
        data-sveltekit-noscroll
        data-sveltekit-keepfocus>{one.pool.name}</a
      >
      <span class="block text-ink-soft">{about(one)}</span>
    </th>
    <td class="w-2/5 py-1.5 pr-3">
      <AllotmentBar
        allottedBytes={one.allotted_bytes}
        provisionedBytes={one.provisioned_bytes}
        usedBytes={one.used_bytes}
        {most}
      />
      {#each making(one) as drawn (drawn.id)}
        <span class={['mr-3', drawn.stopped ? 'text-signal' : 'text-ink-soft']}
          >{drawn.name}
          {standOf(drawn)}{drawn.waits_for === 'hand' ? ', waits for hands' : ''}</span
        >
      {/each}
    </td>
    <td class="py-1.5 pr-3 text-right font-semibold">{preferences.bytes(one.left_bytes)}</td>
    <td class="py-1.5 pr-3 text-right">{preferences.bytes(one.provisioned_bytes)}</td>
    <td class="py-1.5 pr-3 text-right">{preferences.bytes(one.used_bytes)}</td>
    <td class="py-1.5 text-right">{preferences.bytes(one.allotted_bytes)}</td>
  </tr>
{/snippet}

<svelte:head><title>Allotments · Keel Mark</title></svelte:head>
<div class="page-grid-feeds h-full">
  <section class="min-h-0 overflow-y-auto px-4 pt-2 pb-6" aria-labelledby="allotments">
    <div class="flex flex-wrap items-baseline gap-4 pb-2">
      <h1 id="allotments" class="water">Allotments</h1>
      <p class="text-ink-soft">
        {seesPools
          ? 'bytes of pools held for teams, who provision out of them themselves'
          : 'bytes that are held for you; what you make of them needs nobody’s leave'}
      </p>
      <span class="ml-auto flex gap-4">
        {#if (allotments.data?.length ?? 0) > 0}
          <a class="underline" href="/api/v1/allotments/export" download>export CSV</a>
        {/if}
        {#if mayPlan && chosen}
          <a class="underline" href={bearing.href('/allotments')}>allot more</a>
        {/if}
      </span>
    </div>
    <ProblemNote of="Allotments" error={allotments.error} onretry={() => allotments.refetch()} />
    {#if allotments.data && allotments.data.length === 0}
      <p class="max-w-prose text-ink-soft">
        {mayPlan
          ? 'Nothing is allotted yet. An allotment holds bytes of one pool for one tenant; its own operators make datastores out of it, and never beyond it. Allot some at the right, or put it into a scenario as a move.'
          : 'Nothing is allotted to you yet. Planners can hold bytes of a pool for your team; you make datastores out of them here.'}
      </p>
    {/if}
    {#each tenants as [name, some] (name)}
      <h2 class="pt-2 font-semibold">
        {name}
        <span class="font-normal text-ink-soft">{counted('allotment', some?.length ?? 0)}</span>
      </h2>
      <table class="figures w-full text-left" aria-label="Allotments of {name}">
        <thead class="text-ink-soft">
          <tr class="border-b border-rule">
            <th class="py-1 font-normal">of pool</th>
            <th class="py-1 font-normal">used, provisioned, allotted</th>
            {#each ['left', 'provisioned', 'used', 'allotted'] as head (head)}
              <th class={['py-1 text-right font-normal', head !== 'allotted' && 'pr-3']}>{head}</th>
            {/each}
          </tr>
        </thead>
        <tbody
          >{#each some ?? [] as one (one.id)}{@render row(one)}{/each}</tbody
        >
      </table>
    {/each}
    {#if !allotments.data && !allotments.error}<Pending of="allotments" />{/if}
  </section>
  <aside
    class="min-h-0 overflow-y-auto border-l border-rule bg-paper-raised px-4 pt-2 pb-6"
    aria-label="One allotment"
  >
    {#if chosen}
      {#key chosen.id}<AllotmentMargin allotment={chosen} {mayPlan} {mayProvision} />{/key}
    {:else if mayPlan}
      <AllotForm />
    {:else if (allotments.data?.length ?? 0) > 0}
      <p class="text-ink-soft">Choose one to see what was made of it, and to make more.</p>
    {/if}
  </aside>
</div>
