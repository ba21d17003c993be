<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { kindWord } from '$lib/format';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';

  /** The one thing whose disks are shown, and the way back to all. */
  let { of }: { of: Schemas['PlaceNamedRead'] } = $props();
</script>

<p class="pb-1">
  {kindWord(of.kind)}
  <a class="font-semibold underline" href={bearing.href(pathOf(of))}>{of.name}</a>
  alone ·
  <button class="min-h-6 underline" onclick={() => void setQuery('on', '', { isStep: true })}
    >all again</button
  >
</p>
