<script lang="ts">
  import { formatMoment } from '$lib/format';
  import { changesOf, type PriceRevision } from './prices';

  /** The lists that were drawn up, the newest first, each with what it made otherwise. */
  interface Props {
    revisions: readonly PriceRevision[];
  }
  let { revisions }: Props = $props();
</script>

{#if revisions.length > 0}
  <h2 class="water pt-4">Revisions</h2>
  <ol aria-label="Revisions of prices">
    {#each revisions as one, at (one.number)}
      <li class="border-b border-rule py-1.5">
        <span class="font-semibold">r{one.number}</span>
        <span class="text-ink-soft">{formatMoment(one.made_at)}, {one.made_by}</span>
        <span class="figures block">{changesOf(one, revisions[at + 1]).join(' · ')}</span>
        {#if one.note}<span class="block text-ink-soft">{one.note}</span>{/if}
      </li>
    {/each}
  </ol>
{/if}
