<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { page } from '$app/state';
  import { sessionQuery, tenantsQuery } from '$lib/api/queries';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { setQuery } from '$lib/url/bearing.svelte';
  import Log from './Log.svelte';
  import PeopleTable from './PeopleTable.svelte';
  import PersonMargin from './PersonMargin.svelte';
  import { peopleQuery } from './queries';

  const session = createQuery(sessionQuery);
  const mayManage = $derived(session.data?.rights.includes('manage people') ?? false);
  const mayRead = $derived(session.data?.rights.includes('read audit') ?? false);
  const people = createQuery(() => peopleQuery(mayManage));
  const tenants = createQuery(tenantsQuery);
  const names = $derived(Object.fromEntries((tenants.data ?? []).map((t) => [t.id, t.name])));
  const told = $derived(page.url.searchParams.get('person') ?? '');
  const chosen = $derived(people.data?.find((person) => person.id === Number(told)) ?? null);
  const isAdding = $derived(told === 'new');
</script>

<svelte:head><title>People · Keel Mark</title></svelte:head>
<div class={mayManage ? 'page-grid-feeds h-full' : 'h-full'}>
  <section class="h-full min-h-0 overflow-y-auto px-4 pt-2 pb-6">
    {#if mayManage}
      <div class="flex items-baseline gap-5 pb-1">
        <h1 class="water">Who may what</h1>
        <Button
          size="xs"
          color="alternative"
          class="ml-auto"
          onclick={() => void setQuery('person', 'new')}>add a person</Button
        >
      </div>
      {#if people.isError}
        <ProblemNote of="People" error={people.error} onretry={() => people.refetch()} />
      {/if}
      {#if people.data}<PeopleTable people={people.data} tenants={names} {chosen} />{/if}
    {/if}
    {#if mayRead}
      <div class={mayManage ? 'mt-6' : ''}><Log /></div>
    {:else if session.data}
      <p class="py-4 text-ink-soft">
        People are looked after by administrators; the log is read by them and by auditors.
      </p>
    {/if}
  </section>
  {#if mayManage}
    <aside
      class="min-h-0 overflow-y-auto border-l border-rule bg-paper-raised px-4 pt-2 pb-6"
      aria-label="Person"
    >
      {#if isAdding || chosen}
        {#key told}
          <PersonMargin
            person={isAdding ? null : chosen}
            tenants={tenants.data ?? []}
            isOneself={chosen?.name === session.data?.name}
          />
        {/key}
      {:else}
        <h2 class="water">Nobody chosen</h2>
        <p class="text-ink-soft">
          Choose a person to change the role, give a new password or end their access. Nobody is
          deleted: what they wrote stays in the log under their name.
        </p>
      {/if}
    </aside>
  {/if}
</div>
