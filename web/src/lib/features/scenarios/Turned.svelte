<script lang="ts">
  import { kindWord } from '$lib/format';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import type { Outcome } from './queries';

  /** Whose promises it breaks, and whose it keeps again. */
  interface Props {
    turned: Outcome['turned'];
    n: number;
  }
  let { turned, n }: Props = $props();
</script>

{#if n > 0}
  <h3 class="pt-3 font-semibold">Promises that it turns <span class="text-ink-soft">{n}</span></h3>
  <ul class="flex flex-wrap gap-x-5" aria-label="Promises that it turns">
    {#each turned as one (one.id)}
      <li class="flex items-center gap-1.5">
        <StateGlyph state={one.is_broken ? 'broken' : 'met'} />
        <a class="hover:underline" href={bearing.href(pathOf(one))}>{one.name}</a>
        <span class="text-ink-soft"
          >{kindWord(one.kind)}, {one.is_broken ? 'is broken with it' : 'no longer broken'}</span
        >
      </li>
    {/each}
  </ul>
{/if}
