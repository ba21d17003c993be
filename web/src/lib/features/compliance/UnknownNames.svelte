<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { counted } from '$lib/format';
  import { bearing, writeQuery } from '$lib/url/bearing.svelte';
  import { unknownNamesQuery } from './queries';

  /** Names that feeds tell and nobody drew up: whoever has them is promised nothing by them. */
  interface Props {
    word: 'policy' | 'tier';
    mayPlan: boolean;
  }
  let { word, mayPlan }: Props = $props();
  const names = createQuery(() => unknownNamesQuery(bearing.asked));
  const shown = $derived((names.data ?? []).filter((one) => one.word === word));
  const draft = $derived(word === 'policy' ? 'new' : 'tier-new');
</script>

{#each shown as one (one.name)}
  <p class="flex items-baseline gap-2 px-4 py-0.5 text-ink-soft" title="drawn up by nobody">
    <span class="lead pr-1 font-semibold italic">{one.name}</span>
    <span class="whitespace-nowrap">told of {counted('thing', one.n)}</span>
    {#if mayPlan}
      <button
        class="ml-auto whitespace-nowrap text-depth-5 underline"
        aria-label="draw it up: {one.name}"
        onclick={() => void writeQuery({ draft, name: one.name }, { isStep: true })}
        >draw it up</button
      >
    {/if}
  </p>
{/each}
