<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import {
    counted,
    daysUntil,
    exactBytes,
    formatDay,
    formatPercent,
    fullName,
    kindWord,
    preferences,
  } from '$lib/format';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';

  /** The parts that made the growth of a window, the most at the top; each leads to its own page. */
  interface Props {
    grown: Schemas['ContributorsRead'];
  }
  let { grown }: Props = $props();
  const days = $derived(daysUntil(grown.last_on, grown.first_on));
  const WIDTH = 1000;
  const PERCENT = 100;
  const MOST = 12;
  const parts = $derived(grown.parts.filter((part) => part.added_bytes !== 0));
  const widest = $derived(Math.max(...parts.map((part) => Math.abs(part.added_bytes)), 1));
  const bar = (bytes: number) => (Math.abs(bytes) / widest) * WIDTH;
  const kind = $derived(grown.part_kind ?? '');
</script>

{#if grown.part_kind}
  <section aria-label="Who made it grow">
    <div class="mt-4 flex items-baseline gap-3">
      <h2 class="water">Who made it grow</h2>
      <p class="lead text-ink-soft">
        {preferences.bytes(grown.total_bytes, true)} in {days} d since {formatDay(grown.first_on)}
        {#if grown.new_bytes > 0}· {preferences.bytes(grown.new_bytes)} of it new{/if}
        {#if grown.gone_bytes > 0}· {preferences.bytes(grown.gone_bytes)} left{/if}
      </p>
    </div>
    {#each parts.slice(0, MOST) as part (part.entity.id)}
      <div class="row-part figures border-b border-rule py-0.5 text-right">
        <a class="lead text-left hover:underline" href={bearing.href(pathOf(part.entity))}
          >{fullName(part)}</a
        >
        <svg
          viewBox="0 0 {WIDTH} 10"
          preserveAspectRatio="none"
          class="h-2.5 w-full"
          aria-hidden="true"
        >
          <rect
            width={bar(part.added_bytes)}
            height="10"
            class={part.added_bytes > 0 ? 'fill-depth-4' : 'fill-depth-1'}
          />
        </svg>
        <span title={exactBytes(part.added_bytes)}>{preferences.bytes(part.added_bytes, true)}</span
        >
        <span>{part.share === null ? '–' : formatPercent(Math.round(part.share * PERCENT))}</span>
        <span class="text-left text-ink-soft"
          >{part.is_new ? 'arrived' : part.is_gone ? 'left' : ''}</span
        >
      </div>
    {:else}
      <p class="py-2 text-ink-soft">
        {grown.n_parts === 0
          ? `It holds no ${kindWord(kind)}.`
          : `None of its ${counted(kind, grown.n_parts)} changed in this window.`}
      </p>
    {/each}
    {#if parts.length > MOST}
      <p class="pt-1 text-xs text-ink-soft">
        and {parts.length - MOST} that changed less
      </p>
    {/if}
  </section>
{/if}
