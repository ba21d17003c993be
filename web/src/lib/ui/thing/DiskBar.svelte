<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { preferences } from '$lib/format';

  /**
   * A disk as wide as its size among its siblings: what the array holds shaded, what the guest
   * wrote dark within, a stroke where what nobody shares ends; below it each file system's fill.
   */
  interface Props {
    sizeBytes: number | null;
    insideBytes: number | null;
    heldBytes: number | null;
    unsharedBytes: number | null;
    fileSystems: Schemas['FileSystemRead'][];
    mostBytes: number;
  }
  let { sizeBytes, insideBytes, heldBytes, unsharedBytes, fileSystems, mostBytes }: Props =
    $props();
  const WIDTH = 220;
  const LEAST = 4;
  const HIGH = 16;
  const INNER = 7;
  const LINE = 5;
  const BRIM = 0.9; // of a file system, from which it is drawn in ink
  const x = (bytes: number | null) => ((bytes ?? 0) / mostBytes) * (WIDTH - 2);
  const wide = $derived(Math.max(x(sizeBytes), LEAST));
  const systems = $derived(fileSystems.filter((one) => one.size_bytes && one.used_bytes !== null));
  const height = $derived(HIGH + systems.length * (LINE + 2));
  const said = $derived(
    `${preferences.bytes(insideBytes)} inside, ${preferences.bytes(heldBytes)} on the array, ` +
      `${preferences.bytes(unsharedBytes)} unshared, of ${preferences.bytes(sizeBytes)}`,
  );
</script>

<svg viewBox="0 0 {WIDTH} {height}" width={WIDTH} {height} role="img" aria-label={said}>
  <title>{said}</title>
  {#if heldBytes !== null}
    <rect
      x="1"
      y="0.5"
      width={Math.min(x(heldBytes), wide)}
      height={HIGH - 2}
      class="fill-depth-2"
    />
  {/if}
  {#if insideBytes !== null}
    <rect
      x="1"
      y={(HIGH - 1 - INNER) / 2}
      width={Math.min(x(insideBytes), wide)}
      height={INNER}
      class="fill-depth-4"
    />
  {/if}
  <rect x="1" y="0.5" width={wide} height={HIGH - 2} fill="none" class="stroke-ink-soft" />
  {#if unsharedBytes !== null}
    <path
      d="M{1 + Math.min(x(unsharedBytes), wide)} 0v{HIGH - 1}"
      class="stroke-ink"
      stroke-width="2"
    />
  {/if}
  {#each systems as one, at (one.path)}
    {@const y = HIGH + at * (LINE + 2)}
    {@const share = (one.used_bytes ?? 0) / (one.size_bytes ?? 1)}
    <rect x="1" {y} width={Math.max(x(one.size_bytes), LEAST)} height={LINE} class="fill-depth-1" />
    <rect
      x="1"
      {y}
      width={Math.max(x(one.used_bytes), 1)}
      height={LINE}
      class={share >= BRIM ? 'fill-shoal' : 'fill-depth-3'}
    >
      <title
        >{one.path}: {preferences.bytes(one.used_bytes)} of {preferences.bytes(
          one.size_bytes,
        )}</title
      >
    </rect>
  {/each}
</svg>
