<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { exactBytes, preferences } from '$lib/format';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';

  interface Props {
    volumes: Schemas['VolumeRead'][];
    usedBytes: number;
  }
  let { volumes, usedBytes }: Props = $props();
  const WIDTH = 1000;
  const widest = $derived(
    Math.max(...volumes.map((volume) => Math.max(volume.size_bytes, volume.written_bytes ?? 0)), 1),
  );
  const bar = (bytes: number | null) => ((bytes ?? 0) / widest) * WIDTH;
</script>

<div class="mt-4 flex items-baseline gap-3">
  <h2 class="water">Volumes</h2>
  <p class="text-ink-soft">{volumes.length}, most written first · written in the promised size</p>
</div>
<div class="row-volume border-b border-rule text-right text-xs text-ink-soft">
  <span class="text-left">name</span><span></span><span>written</span><span>size</span><span
    >30 days</span
  ><span>of used</span><span class="text-left">kept as</span>
</div>
{#each volumes as volume (volume.id)}
  <div class="row-volume figures border-b border-rule py-0.5 text-right" title={volume.uid}>
    <a
      class="lead text-left hover:underline"
      href={bearing.href(pathOf({ id: volume.id, kind: 'volume' }))}>{volume.name}</a
    >
    <svg
      viewBox="0 0 {WIDTH} 10"
      preserveAspectRatio="none"
      class="h-2.5 w-full"
      aria-hidden="true"
    >
      <rect width={bar(volume.size_bytes)} height="10" class="fill-depth-1" />
      <rect width={bar(volume.written_bytes)} height="10" class="fill-depth-4" />
    </svg>
    <span title={exactBytes(volume.written_bytes)}>{preferences.bytes(volume.written_bytes)}</span>
    <span title={exactBytes(volume.size_bytes)}>{preferences.bytes(volume.size_bytes)}</span>
    <span title={exactBytes(volume.grown_30_days_bytes)}
      >{preferences.bytes(volume.grown_30_days_bytes, true)}</span
    >
    <span
      >{volume.written_bytes === null || usedBytes === 0
        ? '–'
        : `${((volume.written_bytes / usedBytes) * 100).toFixed(0)} %`}</span
    >
    <span class="lead text-left">
      {volume.provisioning ?? '–'}{#if volume.is_mapped === false}, <b class="text-shoal"
          >unmapped</b
        >{/if}
    </span>
  </div>
{:else}
  <p class="py-2 text-ink-soft">The pool holds no volume: all of it is free to be promised.</p>
{/each}
