<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { counted, exactBytes, kindWord, preferences } from '$lib/format';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import type { Linked } from './cells';
  import { termsTo } from '$lib/url/terms';

  /** A strip a layer, each thing a segment as wide as its bytes: what it stands on, who on it. */
  interface Props {
    told: Schemas['EstateThingRead'];
  }
  let { told }: Props = $props();
  const terms = $derived(termsTo(told, (told.figures.array ?? null) as Linked | null, false));
  const WIDTH = 1000;
  const GAP = 3;
  type Related = Schemas['RelatedRead'];
  const SIDES = [
    { key: 'over', says: 'on it' },
    { key: 'under', says: 'it stands on' },
    { key: 'beside', says: 'beside it' },
  ] as const;
  const sides = $derived(
    SIDES.map((side) => ({
      ...side,
      layers: told.related.filter((one) => one.side === side.key),
    })).filter((side) => side.layers.length > 0),
  );
  function segments(related: Related) {
    const whole = Math.max(related.used.known_bytes, 1);
    let x = 0;
    return related.named.map((one) => {
      const width = Math.max(((one.used_bytes ?? 0) / whole) * WIDTH - GAP, 2);
      const at = { ...one, x, width };
      x += width + GAP;
      return at;
    });
  }
  const says = (related: Related) => {
    const first = related.named[0];
    if (related.n === 1 && first) return `${first.name} ${preferences.bytes(first.used_bytes)}`;
    return `${counted(related.kind, related.n)}, ${preferences.bytes(related.used.known_bytes)}`;
  };
</script>

{#each sides as side (side.key)}
  <p class="mt-1 text-xs text-ink-soft">{side.says}</p>
  <!-- what it stands on is told from above downwards: the nearest first -->
  {#each side.key === 'under' ? side.layers.toReversed() : side.layers as related (related.kind)}
    <div class="py-1">
      <div class="flex items-center gap-3">
        <span class="w-18 text-ink-soft">{kindWord(related.kind)}</span>
        {#if related.n === 1 && related.named[0]}
          <a class="lead hover:underline" href={bearing.href(pathOf(related.named[0]))}
            >{says(related)}</a
          >
        {:else}
          <a
            class="lead hover:underline"
            href={bearing.hrefOf(`/estate?view=list&kind=${related.kind}`, terms)}
            >{says(related)}</a
          >
        {/if}
      </div>
      <svg
        viewBox="0 0 {WIDTH} 12"
        preserveAspectRatio="none"
        class="block h-3 w-full"
        aria-hidden="true"
      >
        <rect width={WIDTH} height="12" class="fill-depth-1" />
        {#each segments(related) as one (one.id)}
          <rect x={one.x} width={one.width} height="12" class="fill-depth-4">
            <title>{one.name}: {exactBytes(one.used_bytes)}</title>
          </rect>
        {/each}
      </svg>
    </div>
  {/each}
{/each}
