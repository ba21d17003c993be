<script lang="ts">
  import { goto } from '$app/navigation';
  import { tick } from 'svelte';
  import type { Schemas } from '$lib/api/client';
  import { bearing } from '$lib/url/bearing.svelte';
  import { termsTo } from '$lib/url/terms';
  import { pathOf } from '$lib/url/things';
  import StrataColumn from './StrataColumn.svelte';
  import { ribbon, segmentsOf, type Member } from './strata';

  /** The estate cut open: a column a layer, the chosen path inked, a ribbon to what it holds. */
  interface Props {
    layers: Schemas['LayerRead'][];
    path: number[];
    isSigned: boolean;
    onpath: (path: number[]) => void;
  }
  let { layers, path, isSigned, onpath }: Props = $props();
  const HEAD_PX = 30;
  const RIBBON_PX = 22;
  const LEAST_PX = 220;
  let tall = $state(0);
  let box: HTMLDivElement | undefined = $state();
  const height = $derived(Math.max(tall - HEAD_PX, LEAST_PX));
  const drawn = $derived(
    layers.map((layer, depth) =>
      segmentsOf(layer, path[depth] ?? layers[depth + 1]?.of_id ?? null, height),
    ),
  );
  const ribbons = $derived(
    drawn.slice(0, -1).map((segments, depth) => {
      // What stands on nothing chosen stands on the largest: that one was followed.
      const from = segments.find((one) => one.member?.id === layers[depth + 1]?.of_id);
      const last = drawn[depth + 1]?.at(-1);
      return from && last
        ? ribbon(from, { top: 0, bottom: last.top + last.height }, RIBBON_PX)
        : '';
    }),
  );

  function pick(depth: number, member: Member, isExcluding: boolean) {
    if (isExcluding) {
      const above = layers[depth - 1]?.members.find((one) => one.id === path[depth - 1]);
      void bearing.narrowAll(termsTo(member, above ?? null, true));
      return;
    }
    onpath([...path.slice(0, depth), member.id]);
  }

  async function focus(depth: number, id: number | undefined) {
    await tick();
    const column = box?.querySelectorAll('[role="listbox"]')[depth];
    const wanted =
      id === undefined
        ? column?.querySelector<HTMLElement>('[tabindex="0"]')
        : column?.querySelector<HTMLElement>(`[data-member="${id}"]`);
    wanted?.focus();
  }

  /** Arrows walk: up and down in a layer, right to what stands on it, left to what it lies on. */
  async function walk(depth: number, event: KeyboardEvent) {
    const own = (drawn[depth] ?? []).flatMap((one) => (one.member ? [one.member] : []));
    const id = Number((event.currentTarget as HTMLElement).dataset.member ?? Number.NaN);
    const at = own.findIndex((one) => one.id === id);
    const member = own[at];
    if (!member) return;
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault();
      const next = own[at + (event.key === 'ArrowDown' ? 1 : -1)];
      if (!next) return;
      onpath([...path.slice(0, depth), next.id]);
      await focus(depth, next.id);
    } else if (event.key === 'ArrowRight') {
      event.preventDefault();
      const next = drawn[depth + 1]?.find((one) => one.member)?.member;
      if (path[depth] !== member.id || !next) onpath([...path.slice(0, depth), member.id]);
      else {
        onpath([...path.slice(0, depth + 1), next.id]);
        await focus(depth + 1, next.id);
      }
    } else if (event.key === 'ArrowLeft' && depth > 0) {
      event.preventDefault();
      onpath(path.slice(0, depth));
      await focus(depth - 1, path[depth - 1]);
    } else if (event.key === 'Enter') {
      event.preventDefault();
      if (event.altKey) pick(depth, member, true);
      else await goto(bearing.href(pathOf(member)));
    } else if (event.key === ' ') {
      event.preventDefault();
      pick(depth, member, false);
    }
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex (what scrolls must be reached by keys) -->
<div
  bind:this={box}
  bind:clientHeight={tall}
  class="strata min-h-0 flex-1"
  role="region"
  aria-label="Strata"
  tabindex="0"
  style:--layers={layers.length}
>
  {#each layers as layer, depth (layer.of_id ?? 'first')}
    <div class="min-w-0">
      <StrataColumn
        {layer}
        segments={drawn[depth] ?? []}
        chosenId={path[depth] ?? null}
        {isSigned}
        onpick={(member, isExcluding) => pick(depth, member, isExcluding)}
        onwalk={(event) => void walk(depth, event)}
      />
    </div>
    {#if depth < layers.length - 1}
      <svg width={RIBBON_PX} height={height + HEAD_PX} class="overflow-visible" aria-hidden="true">
        <path d={ribbons[depth]} transform="translate(0 {HEAD_PX})" class="fill-depth-1" />
      </svg>
    {/if}
  {/each}
</div>
