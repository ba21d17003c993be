<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Snippet } from 'svelte';
  import { page as at } from '$app/state';
  import { tenantsQuery } from '$lib/api/queries';
  import Choice from '$lib/ui/Choice.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { setQuery } from '$lib/url/bearing.svelte';

  /** What a tenant viewer sees: the page of their tenant, and nothing of others. */
  interface Props {
    page: Snippet<[number]>;
  }
  let { page }: Props = $props();
  const tenants = createQuery(tenantsQuery);
  const shown = $derived(
    tenants.data?.find((one) => String(one.id) === at.url.searchParams.get('tenant')) ??
      tenants.data?.[0],
  );
</script>

{#if tenants.error}
  <div class="m-8">
    <h1 class="sr-only">What is yours</h1>
    <ProblemNote of="Your tenants" error={tenants.error} onretry={() => tenants.refetch()} />
  </div>
{:else if tenants.data && !shown}
  <section class="px-4 pt-2" aria-label="What is yours">
    <h1 class="water">What is yours</h1>
    <p class="text-ink-soft">
      No tenant is yours yet, so there is nothing to see. An administrator can give you one.
    </p>
  </section>
{:else if tenants.data && shown}
  <div class="flex h-full flex-col">
    {#if tenants.data.length > 1}
      <div class="border-b border-rule px-4 py-1">
        <Choice
          label="Tenant"
          options={tenants.data.map((one) => ({ key: String(one.id), name: one.name }))}
          value={String(shown.id)}
          onpick={(key) => void setQuery('tenant', key)}
        />
      </div>
    {/if}
    <div class="min-h-0 flex-1">
      {#key shown.id}{@render page(shown.id)}{/key}
    </div>
  </div>
{:else}
  <Pending of="what is yours" class="p-8" />
{/if}
