<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { kindsQuery, tenantsQuery } from '$lib/api/queries';
  import { counted } from '$lib/format';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';

  /** What a tenant viewer sees: pools are shared by many tenants, so they are not shown here. */
  const kinds = createQuery(kindsQuery);
  const tenants = createQuery(tenantsQuery);
  const names = $derived((tenants.data ?? []).map((tenant) => tenant.name).join(', '));
  const held = $derived(
    (kinds.data ?? []).filter((row) => row.n > 0 && row.kind !== 'tenant' && row.kind !== 'site'),
  );
</script>

<section class="px-4 pt-2" aria-label="What is yours">
  <h1 class="water">What is yours</h1>
  <ProblemNote of="Your tenants" error={tenants.error} onretry={() => tenants.refetch()} />
  <ProblemNote of="What you hold" error={kinds.error} onretry={() => kinds.refetch()} />
  {#if tenants.data && tenants.data.length === 0}
    <p class="text-ink-soft">
      No tenant is yours yet, so there is nothing to see. An administrator can give you one.
    </p>
  {:else if tenants.data}
    <p>
      You see what {names} consume{tenants.data.length === 1 ? 's' : ''}. Pools are shared with
      others and are shown to planners alone.
    </p>
    <ul class="mt-3 max-w-md">
      {#each held as row (row.kind)}
        <li class="border-t border-rule py-1">{counted(row.kind, row.n)}</li>
      {:else}
        {#if kinds.data}
          <li class="border-t border-rule py-1 text-ink-soft">Nothing is held yet.</li>
        {/if}
      {/each}
    </ul>
  {/if}
</section>
