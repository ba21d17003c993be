<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { counted, exactBytes, formatPercent, preferences } from '$lib/format';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { coastOf } from './coast';
  import { coastQuery } from './queries';

  /** The sites on a coast of our own: what each holds, how many VMs, and the worst that stands. */
  interface Props {
    onpreview: (id: number) => void;
  }
  let { onpreview }: Props = $props();
  const coast = createQuery(() => coastQuery(bearing.asked));
  let wide = $state(0);
  let tall = $state(0);
  const PERCENT = 100;
  const GAUGE = { width: 16, height: 64 };
  const drawn = $derived(
    coastOf(coast.data?.sites.length ?? 0, Math.max(wide, 300), Math.max(tall, 200)),
  );
</script>

{#if coast.error}
  <ProblemNote of="Coast" error={coast.error} onretry={() => coast.refetch()} />
{:else if coast.data}
  {#if coast.data.sites.length === 0}
    <p class="py-4 text-ink-soft">No site lies within this scope on this day.</p>
  {/if}
  <p class="text-ink-soft">A click looks at a site, two narrow to it, with Alt it is left out.</p>
  <div class="-mx-4 min-h-0 flex-1" bind:clientWidth={wide} bind:clientHeight={tall}>
    <svg width={wide} height={tall} class="block" role="group" aria-label="Sites on the coast">
      <path d={drawn.land} class="fill-land" />
      <path d={drawn.shore} fill="none" class="stroke-ink-soft" stroke-width="1.2" />
      {#each drawn.soundings as line (line)}
        <path d={line} fill="none" class="stroke-depth-2" stroke-width="1" stroke-dasharray="5 4" />
      {/each}
      {#each coast.data.sites as site, at (site.id)}
        {@const place = drawn.places[at] ?? { x: 0, y: 0 }}
        {@const fill = site.size_bytes ? (site.used_bytes ?? 0) / site.size_bytes : null}
        <g
          transform="translate({place.x} {place.y})"
          role="button"
          tabindex="0"
          class="coast-site"
          onclick={(event) =>
            event.altKey
              ? void bearing.narrow('site', site.name, true)
              : event.detail > 1
                ? void bearing.narrow('site', site.name)
                : onpreview(site.id)}
          onkeydown={(event) => {
            if (event.key === ' ') onpreview(site.id);
            else if (event.key === 'Enter') void bearing.narrow('site', site.name, event.altKey);
            else return;
            event.preventDefault();
          }}
        >
          <circle r="5" class="fill-ink" />
          <g transform="translate(-34 {-GAUGE.height / 2})">
            <rect {...GAUGE} class="fill-paper-raised stroke-depth-5" />
            {#if fill !== null}
              <rect
                width={GAUGE.width}
                y={GAUGE.height * (1 - Math.min(fill, 1))}
                height={GAUGE.height * Math.min(fill, 1)}
                class="fill-depth-4"
              />
            {/if}
            <path
              d="M-3 {GAUGE.height * 0.1}h22M-3 {GAUGE.height * 0.2}h22"
              class="stroke-ink"
              stroke-width="1"
            />
          </g>
          <g transform="translate(-190 -18)">
            <text class="water fill-ink" font-size="20">{site.name}</text>
            {#if site.worst}
              <foreignObject x="-2" y="6" width="18" height="18"
                ><StateGlyph state={site.worst} /></foreignObject
              >
            {/if}
            <text y="19" x="18" class="figures fill-ink text-sm"
              >{preferences.bytes(site.used_bytes)}{fill === null
                ? ''
                : ` · ${formatPercent(Math.round(fill * PERCENT))}`}</text
            >
            <text y="36" class="figures fill-ink-soft text-sm"
              >{counted('vm', site.n_vms)} · {counted('array', site.n_arrays)}</text
            >
            {#if site.objects_bytes}
              <text y="53" class="figures fill-ink-soft text-sm"
                >{preferences.bytes(site.objects_bytes)} in objects</text
              >
            {/if}
            <title>{exactBytes(site.used_bytes)}</title>
          </g>
        </g>
      {/each}
    </svg>
  </div>
{:else}
  <Pending of="the coast" />
{/if}
