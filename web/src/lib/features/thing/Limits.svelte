<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import {
    formatAmount,
    fullName,
    kindWord,
    formatRunway,
    limitDate,
    limitShare,
    metricName,
  } from '$lib/format';
  import RunwayAxis from '$lib/ui/RunwayAxis.svelte';
  import RunwayStrip from '$lib/ui/RunwayStrip.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';

  /** What ends first of a thing and of all that carries it, on one axis. */
  interface Props {
    limits: Schemas['LimitRead'][];
    leadTimeDays: number;
    chosen: { id: number; metric: string } | null; // the one whose soundings are shown
  }
  let { limits, leadTimeDays, chosen }: Props = $props();
  const isChosen = (limit: Schemas['LimitRead']) =>
    limit.entity.id === chosen?.id && limit.metric === chosen.metric;
  const ends = (limit: Schemas['LimitRead']) =>
    limit.attention === 'over' || limit.limit.early_on !== null;
  let isAllShown = $state(false);
  // What carries it and has no end in sight would push the rest of the page down for nothing.
  const shown = $derived(
    limits.filter((limit) => isAllShown || ends(limit) || limit.is_own || isChosen(limit)),
  );
  const nMore = $derived(limits.length - shown.length);
</script>

<div class="mt-3 flex items-baseline gap-3">
  <h2 class="water">What ends first</h2>
  <p class="text-ink-soft">
    {#if limits[0] && ends(limits[0])}
      {metricName(limits[0].metric)} of {fullName(limits[0])}
    {:else}
      nothing within two years
    {/if} · here and in all that carries it
  </p>
</div>
<div class="row-limit text-xs text-ink-soft" aria-hidden="true">
  <span></span><span>what</span><span>stands at</span><span><RunwayAxis /></span><span></span>
</div>
<ul aria-label="What ends first">
  {#each shown as limit (`${limit.entity.id} ${limit.metric}`)}
    <li class="border-b border-rule {isChosen(limit) ? 'bg-paper-raised' : ''}">
      <a
        class="row-limit hover:bg-paper-raised {limit.is_own ? '' : 'text-ink-soft'}"
        href={bearing.href(pathOf(limit.entity, limit.metric))}
        aria-current={isChosen(limit) ? 'page' : undefined}
        title="{limit.attention_because}; click for its soundings"
      >
        <StateGlyph state={limit.attention} />
        <span class="min-w-0">
          <b class="lead block text-ink">{fullName(limit)}</b>
          <span class="lead block text-xs"
            >{metricName(limit.metric)} · {kindWord(limit.entity.kind)}</span
          >
        </span>
        <span class="figures text-xs">
          <span class="block text-ink">{formatAmount(limit.amount, limit.unit)}</span>
          <span class="block">{limitShare(limit)}</span>
        </span>
        <RunwayStrip dates={limit.limit} {leadTimeDays} attention={limit.attention} />
        <span class="text-right">
          <span class="figures block font-semibold text-ink">{limitDate(limit)}</span>
          <span class="figures block text-xs"
            >{limit.limit.likely_on ? formatRunway(limit.limit) : ''}</span
          >
        </span>
      </a>
    </li>
  {/each}
</ul>
{#if nMore > 0}
  <button class="pt-1 text-xs text-depth-5 underline" onclick={() => (isAllShown = true)}
    >and {nMore} more below it, without an end in sight</button
  >
{/if}
