<script lang="ts">
  import { formatCount } from '$lib/format';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { filled } from '$lib/ui/states';
  import { STATES, type State } from './queries';

  /** How many subjects stand how: a bar of all, and a count for each state that leads to them. */
  interface Props {
    counts: Record<string, number>;
    most: number; // of the longest bar beside it
    of: string;
    chosen: State | null;
    onpick: (state: State | null) => void;
  }
  let { counts, most, of, chosen, onpick }: Props = $props();
  const WIDTH = 1000;
  // As the eye reads it: what is kept first, what is broken at its end.
  const parts = $derived.by(() => {
    let at = 0;
    return STATES.toReversed()
      .filter((state) => state !== 'exempt')
      .map((state) => {
        const width = ((counts[state] ?? 0) / Math.max(most, 1)) * WIDTH;
        const part = { state, x: at, width };
        at += width;
        return part;
      });
  });
  const told = $derived(STATES.toReversed().filter((state) => (counts[state] ?? 0) > 0));
</script>

<svg viewBox="0 0 {WIDTH} 8" preserveAspectRatio="none" class="mt-1 h-2 w-full" aria-hidden="true">
  {#each parts as part (part.state)}
    <rect x={part.x} width={part.width} height="8" class={filled(part.state)} />
  {/each}
</svg>
<div class="mt-1 flex flex-wrap gap-x-3">
  {#each told as state (state)}
    <button
      class={['figures flex items-center gap-1', chosen === state && 'font-semibold underline']}
      aria-pressed={chosen === state}
      aria-label="{formatCount(counts[state] ?? 0)} {state} of {of}"
      title={state}
      onclick={() => onpick(chosen === state ? null : state)}
    >
      <StateGlyph {state} aria-hidden="true" />{formatCount(counts[state] ?? 0)}
    </button>
  {/each}
</div>
