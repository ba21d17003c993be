<script lang="ts">
  import { formatCount } from '$lib/format';
  import { setQuery } from '$lib/url/bearing.svelte';

  /** To all revisions side by side, where there is more than one. */
  let { n }: { n: number } = $props();
</script>

{#if n > 1}
  <button
    class="min-h-6 text-depth-5 underline"
    onclick={() => void setQuery('revisions', 'all', { isStep: true })}
    >all {formatCount(n)} revisions side by side</button
  >
{/if}
