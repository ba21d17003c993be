<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { counted, formatCount, formatDay, preferences } from '$lib/format';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';

  /** Which VMs stop if a thing fails, whose they are, and which would be lost with it. */
  interface Props {
    told: Schemas['EstateThingRead'];
  }
  let { told }: Props = $props();
  const FEW = 6;
  const stops = $derived(told.stops);
</script>

{#if stops}
  <section aria-label="If {told.name} fails">
    <h3 class="water mt-4">If {told.name} fails</h3>
    {#if stops.n_vms === 0}
      <p class="text-ink-soft">No VM that is known stands on it.</p>
    {:else}
      <p>
        <b>{counted('vm', stops.n_vms)}</b> of {counted('tenant', stops.by_tenant.length)}
        {stops.n_vms === 1 ? 'stops' : 'stop'}: {stops.by_tenant
          .map((one) => `${one.name} ${formatCount(one.n)}`)
          .join(', ')}.
        {#if stops.n_copied > 0}
          {formatCount(stops.n_copied)} have a copy elsewhere{stops.oldest_copy_on
            ? `, the oldest of ${formatDay(stops.oldest_copy_on)}`
            : ''};
        {/if}
        {#if stops.n_without > 0}
          <b class="text-signal">{formatCount(stops.n_without)} have none.</b>
        {:else}every one has a copy.{/if}
      </p>
      {#if stops.n_without > 0}
        <p class="text-ink-soft">Without a copy, the largest first:</p>
        <ul class="section-box flex flex-wrap gap-x-3" aria-label="Without a copy">
          {#each stops.without as vm (vm.id)}
            <li>
              <a class="lead hover:underline" href={bearing.href(pathOf(vm))}>{vm.name}</a>
            </li>
          {/each}
        </ul>
      {/if}
    {/if}
    {#if stops.carry_on.length > 0}
      <p class="mt-2 text-ink-soft">
        Then {counted('pool', stops.carry_on.length)} with the copies {stops.carry_on.length === 1
          ? 'carries'
          : 'carry'} on. What is written to an original is written there now already, so none fills sooner
        for it; those that end first:
      </p>
      <ul aria-label="Pools that carry on">
        {#each stops.carry_on.slice(0, FEW) as pool (pool.id)}
          <li class="figures flex flex-wrap items-center gap-x-3 border-b border-rule py-1">
            <StateGlyph state={pool.state ?? 'unread'} />
            <a class="hover:underline" href={bearing.href(pathOf(pool))}
              >{pool.home_name ? `${pool.home_name} · ` : ''}{pool.name}</a
            >
            <span class="text-ink-soft"
              >{counted('volume', pool.n_copies)}, {preferences.bytes(pool.plannable_bytes)} plannable,
              {pool.early_on ? `early ${formatDay(pool.early_on)}` : 'no end in sight'}</span
            >
          </li>
        {/each}
      </ul>
    {/if}
  </section>
{/if}
