<script lang="ts">
  import { formatCount, formatMoment, kindWord } from '$lib/format';
  import { bearing } from '$lib/url/bearing.svelte';
  import type { Group } from './findings';

  interface Props {
    group: Group;
    n: number; // over all pages
  }
  let { group, n }: Props = $props();
  const isGrave = $derived(['mirror-side-lost', 'free-but-owned', 'conflict'].includes(group.kind));
</script>

<section class="pb-4" aria-label={group.name}>
  <h2 class="border-b border-ink pt-2 font-semibold {isGrave ? 'text-signal' : ''}">
    {group.name}
    <span class="figures font-normal text-ink-soft">{formatCount(n)}</span>
  </h2>
  <p class="max-w-3xl py-1 text-ink-soft">{group.why}</p>
  {#each group.findings as finding (finding.id)}
    <div class="row-finding border-b border-rule py-1">
      <span class="lead" title={finding.entity.uid}>
        <span class="text-ink-soft">{kindWord(finding.entity.kind)}</span>
        {#if finding.pool_id !== null}
          <a class="font-semibold hover:underline" href={bearing.href(`/pools/${finding.pool_id}`)}
            >{finding.entity.name}</a
          >
        {:else}<span class="font-semibold">{finding.entity.name}</span>{/if}
      </span>
      <span class="lead text-ink-soft">{finding.site_name ?? '–'}</span>
      <span>{finding.detail}</span>
      <span class="figures text-right text-ink-soft">since {formatMoment(finding.found_at)}</span>
    </div>
  {/each}
</section>
