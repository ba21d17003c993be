<script lang="ts">
  import type { HTMLAttributes } from 'svelte/elements';

  interface Slice {
    name: string;
    n: number;
    tint: string;
  }
  /** One bar of a whole cut into slices; a slice is clicked into the bearing. */
  interface Props extends Omit<HTMLAttributes<HTMLDivElement>, 'onpick'> {
    title: string;
    note?: string;
    slices: Slice[];
    does?: string; // what a click does with the name
    onpick: (name: string, isExcluding: boolean) => void;
  }
  let { title, note = '', slices, does = '', onpick, ...rest }: Props = $props();

  const WIDTH = 1000;
  const total = $derived(slices.reduce((sum, slice) => sum + slice.n, 0));
  const placed = $derived.by(() => {
    let from = 0;
    return slices.map((slice) => {
      const width = total === 0 ? 0 : (slice.n / total) * WIDTH;
      const at = { ...slice, from, width };
      from += width;
      return at;
    });
  });
</script>

<div class="min-w-0" {...rest}>
  <div class="flex justify-between gap-2 leading-4">
    <span class="font-semibold">{title}</span><span class="text-ink-soft">{note}</span>
  </div>
  <svg
    viewBox="0 0 {WIDTH} 9"
    preserveAspectRatio="none"
    class="my-1 block h-2.5 w-full"
    aria-hidden="true"
  >
    {#if total === 0}<rect width={WIDTH} height="9" class="fill-rule" />{/if}
    {#each placed as slice (slice.name)}
      <rect x={slice.from} width={Math.max(slice.width - 3, 1)} height="9" class={slice.tint} />
    {/each}
  </svg>
  <div class="flex justify-between gap-2 overflow-hidden text-xs leading-4">
    {#each slices as slice (slice.name)}
      <button
        class="figures min-h-6 whitespace-nowrap text-ink-soft hover:text-ink hover:underline"
        title={does ? `${does} ${slice.name}` : `narrow to ${slice.name}; with Alt it is left out`}
        onclick={(event) => onpick(slice.name, event.altKey)}
        onkeydown={(event) => {
          // Alt+Enter makes no click of its own.
          if (event.key === 'Enter' && event.altKey) onpick(slice.name, true);
        }}>{slice.name} {slice.n}</button
      >
    {/each}
  </div>
</div>
