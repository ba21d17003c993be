<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Schemas } from '$lib/api/client';
  import { isAskedWrong } from '$lib/api/refusal';
  import { formatRunway, limitDate, limitShare, metricName } from '$lib/format';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { limitsQuery } from './queries';

  /** What else than space ends within two years: CPU, memory, I/O; nothing to say, nothing shown. */
  const limits = createQuery(() => limitsQuery(bearing.sift));
  const MOST = 6;
  type Limit = Schemas['LimitRead'];
</script>

{#snippet line(limit: Limit)}
  <StateGlyph state={limit.attention} class="mt-0.5" />
  <span class="min-w-0 flex-1">
    <span class="block font-semibold">{limit.entity.name}</span>
    <span class="block text-xs text-ink-soft"
      >{[metricName(limit.metric), limitShare(limit)].filter(Boolean).join(', ')}</span
    >
  </span>
  <span class="figures text-right text-xs whitespace-nowrap text-ink-soft">
    <span class="block text-ink">{limitDate(limit)}</span>
    {#if limit.limit.likely_on}<span class="block">{formatRunway(limit.limit)}</span>{/if}
  </span>
{/snippet}

{#if limits.isError && !isAskedWrong(limits.error)}
  <ProblemNote
    of="What else ends"
    error={limits.error}
    onretry={() => limits.refetch()}
    class="mb-4"
  />
{/if}
{#if limits.data?.length}
  <section class="mb-4" aria-label="What else ends">
    <h2 class="water">
      What else ends <span class="font-sans text-sm text-ink-soft not-italic">beside space</span>
    </h2>
    {#each limits.data.slice(0, MOST) as limit (`${limit.entity.id} ${limit.metric}`)}
      <a
        class="flex gap-2.5 border-b border-rule py-1.5 hover:bg-paper"
        title="{limit.attention_because}; click for its soundings"
        href={bearing.href(pathOf(limit.entity, limit.metric))}
      >
        {@render line(limit)}
      </a>
    {/each}
    {#if limits.data.length > MOST}
      <p class="pt-1 text-xs text-ink-soft">and {limits.data.length - MOST} later ones</p>
    {/if}
  </section>
{/if}
