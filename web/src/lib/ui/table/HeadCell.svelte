<script lang="ts">
  import type { Snippet } from 'svelte';

  /** The head of a column: sorts by a click, with shift beside what sorts already; drawn wider. */
  interface Props {
    name: string;
    drawn?: Snippet | undefined; // over the column, in the place of its name
    isText: boolean;
    sorted: 'asc' | 'desc' | false;
    place: number | null; // among several by which rows are sorted
    onsort: ((event: MouseEvent) => void) | undefined;
    onwiden: (px: number, isLast: boolean) => void;
  }
  let { name, drawn, isText, sorted, place, onsort, onwiden }: Props = $props();
  const SORTED = { asc: 'ascending', desc: 'descending' } as const;
  const KEY_PX = 12;
  let from: number | null = null;

  function onpointerdown(event: PointerEvent & { currentTarget: HTMLElement }) {
    from = event.clientX;
    event.currentTarget.setPointerCapture(event.pointerId);
  }
  function onpointermove(event: PointerEvent) {
    if (from === null) return;
    onwiden(event.clientX - from, false);
    from = event.clientX;
  }
  function onpointerup() {
    if (from !== null) onwiden(0, true);
    from = null;
  }
  function onkeydown(event: KeyboardEvent) {
    if (!event.altKey || (event.key !== 'ArrowLeft' && event.key !== 'ArrowRight')) return;
    event.preventDefault();
    event.stopPropagation();
    onwiden(event.key === 'ArrowRight' ? KEY_PX : -KEY_PX, true);
  }
</script>

<div
  role="columnheader"
  aria-sort={sorted ? SORTED[sorted] : undefined}
  class="head-cell text-xs text-ink-soft {isText ? 'text-left' : 'text-right'}"
>
  {#if onsort}
    <button
      class="lead max-w-full min-h-6 hover:text-ink {sorted ? 'font-semibold text-ink' : ''}"
      title="sort by it; with Shift beside what sorts already; Alt and arrows make it wider"
      onclick={onsort}
      {onkeydown}
      >{name}<span aria-hidden="true"
        >{sorted ? (sorted === 'asc' ? ' ↑' : ' ↓') : ''}{place === null ? '' : place}</span
      ></button
    >
  {:else if drawn}<span class="sr-only">{name}</span>{@render drawn()}
  {:else}{name}{/if}
  <span class="head-edge" aria-hidden="true" {onpointerdown} {onpointermove} {onpointerup}></span>
</div>
