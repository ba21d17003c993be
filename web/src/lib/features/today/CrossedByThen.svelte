<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { tideQuery } from '$lib/api/queries';
  import { counted, daysUntil, formatDay } from '$lib/format';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';

  /** Which pools will likely have crossed their limit marks by the day looked at. */
  interface Props {
    day: string;
  }
  let { day }: Props = $props();
  const tide = createQuery(() => tideQuery(bearing.sift, bearing.scenario));
  // Of another scope nothing is told here, however short the wait.
  const told = $derived(tide.isPlaceholderData ? undefined : tide.data);
  const crossed = $derived((told?.ticks ?? []).filter((tick) => tick.on <= day));
  const next = $derived((told?.ticks ?? []).find((tick) => tick.on > day));
</script>

<aside
  class="min-h-0 overflow-y-auto border-l border-rule bg-paper-raised px-4 pt-2 pb-6"
  aria-label="Crossed by then"
  data-place="crossed"
>
  <h2 class="water">
    Crossed by then <span class="font-sans text-sm text-ink-soft not-italic"
      >limit marks, at even chance</span
    >
  </h2>
  {#each crossed as tick (tick.id)}
    <a
      class="flex gap-2.5 border-b border-rule py-1.5 hover:bg-paper"
      href={bearing.href(pathOf({ id: tick.id, kind: 'pool' }))}
    >
      <StateGlyph state={tick.state ?? 'clear'} class="mt-0.5" />
      <span class="min-w-0 flex-1 font-semibold">{tick.name}</span>
      <span class="figures text-right text-xs whitespace-nowrap text-ink-soft">
        <span class="block text-ink">{formatDay(tick.on)}</span>
        <span class="block"
          >{daysUntil(tick.on) > 0 ? `in ${daysUntil(tick.on)} d` : 'past it now'}</span
        >
      </span>
    </a>
  {:else}
    {#if told}<p class="pt-2 text-ink-soft">
        None of {counted('pool', told.n_pools)}, as they are expected to grow.
      </p>{/if}
  {/each}
  {#if next}
    <p class="pt-2 text-ink-soft">Next after it: {next.name}, {formatDay(next.on)}.</p>
  {/if}
</aside>
