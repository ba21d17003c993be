<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { counted, formatCount, formatDay } from '$lib/format';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';

  /** Which VMs stop if a thing fails, whose they are, and which would be lost with it. */
  interface Props {
    told: Schemas['EstateThingRead'];
  }
  let { told }: Props = $props();
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
        <ul class="section-box flex flex-wrap gap-x-3">
          {#each stops.without as vm (vm.id)}
            <li>
              <a class="lead hover:underline" href={bearing.href(pathOf(vm))}>{vm.name}</a>
            </li>
          {/each}
        </ul>
      {/if}
    {/if}
  </section>
{/if}
