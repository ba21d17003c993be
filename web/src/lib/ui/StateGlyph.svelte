<script lang="ts">
  import type { SVGAttributes } from 'svelte/elements';
  import { drawn } from './states';

  /**
   * Attention of objects, state of feeds, and how a promise is kept; told apart by the number and
   * shape of strokes.
   */
  interface Props extends SVGAttributes<SVGSVGElement> {
    state: string;
  }
  let { state, class: extra = '', ...rest }: Props = $props();

  const STROKES: Record<string, number[]> = {
    clear: [10],
    caution: [7, 11],
    urgent: [5, 9, 13],
    over: [5, 9, 13],
    within: [10],
    held: [7, 11],
    starved: [5, 9, 13],
  };
  const WAVE = 'M1 9q2.3-4 4.6 0t4.6 0t4.6 0';
  const strokes = $derived(STROKES[state] ?? []);
</script>

<svg
  viewBox="0 0 16 16"
  width="16"
  height="16"
  role="img"
  aria-label={state}
  class={['shrink-0', drawn(state), extra]}
  {...rest}
>
  <title>{state}</title>
  {#each strokes as y (y)}
    <path
      d="M1 {y}h14"
      stroke="currentColor"
      stroke-width={state === 'clear' || state === 'within' ? 1.6 : 2.4}
    />
  {/each}
  {#if state === 'over'}
    <path d="M0 1.5h16" stroke="currentColor" stroke-width="1.4" />
  {:else if state === 'unread'}
    <path d="M1 9h14" stroke="currentColor" stroke-width="2" stroke-dasharray="2 2.6" />
  {:else if state === 'fresh'}
    <path d={WAVE} fill="none" stroke="currentColor" stroke-width="1.6" />
  {:else if state === 'late'}
    <path d={WAVE} fill="none" stroke="currentColor" stroke-width="2" stroke-dasharray="4 3" />
  {:else if state === 'failing'}
    <path d={WAVE} fill="none" stroke="currentColor" stroke-width="2" />
    <path d="M3 14L13 2" stroke="currentColor" stroke-width="2" />
  {:else if state === 'paused'}
    <path d="M1 9h14M4 5v8M12 5v8" fill="none" stroke="currentColor" stroke-width="1.6" />
  {:else if state === 'met'}
    <rect x="3" y="3" width="10" height="10" fill="currentColor" />
  {:else if state === 'broken'}
    <path d="M3 3h10v10h-10zM1 15L15 1" fill="none" stroke="currentColor" stroke-width="1.8" />
  {:else if state === 'settling'}
    <path d="M3 3v10h10" fill="none" stroke="currentColor" stroke-width="1.8" />
  {:else if state === 'unproven'}
    <rect
      x="3"
      y="3"
      width="10"
      height="10"
      fill="none"
      stroke="currentColor"
      stroke-width="1.6"
      stroke-dasharray="2 2"
    />
  {:else if state === 'exempt' || state === 'untiered'}
    <path d="M4 8h8" stroke="currentColor" stroke-width="1.6" />
  {/if}
</svg>
