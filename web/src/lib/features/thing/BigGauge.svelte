<script lang="ts">
  import { axisUnit, preferences } from '$lib/format';

  import type { Books } from './figures';

  /** The hull-side scale of a thing: what is used, promised and reserved of its size. */
  interface Props {
    books: Books;
  }
  let { books }: Props = $props();

  const WIDTH = 190;
  const BOTTOM = 520;
  const HULL_LEFT = 60;
  const HULL_WIDTH = 56;
  const HULL_RIGHT = HULL_LEFT + HULL_WIDTH;
  const FULL_HEIGHT = 470;
  const FIGURE_GAP = 15; // px that two lines of text beside the hull need
  const LINE = 13;
  const N_FIGURES = 5;
  const PERCENT = 100;
  const id = $props.id();

  const top = $derived(
    Math.max(books.usable_bytes, books.used_bytes, books.provisioned_bytes ?? 0, 1),
  );
  const y = (bytes: number) => BOTTOM - (bytes / top) * FULL_HEIGHT;
  const unit = $derived(axisUnit(books.usable_bytes, preferences.system));
  const inUnit = (bytes: number) =>
    (bytes / unit.bytes).toFixed(bytes / unit.bytes < PERCENT ? 1 : 0);
  const figures = $derived(
    Array.from({ length: N_FIGURES + 1 }, (_, n) => (books.usable_bytes / N_FIGURES) * n),
  );
  const thickTop = $derived(books.used_bytes + books.reserved_bytes - books.held_bytes);
  const heldTop = $derived(books.used_bytes + books.reserved_bytes);
  /** Labels right of the hull, moved apart so that none covers another. */
  const labels = $derived.by(() => {
    const wanted = [
      { name: 'provisioned', bytes: books.provisioned_bytes, tint: 'fill-ink', isBold: true },
      { name: books.size_name, bytes: books.usable_bytes, tint: 'fill-ink', isBold: true },
      {
        name: `limit ${books.limit_percent} %`,
        bytes: (books.usable_bytes / PERCENT) * books.limit_percent,
        tint: 'fill-signal',
        isBold: false,
      },
      {
        name: `caution ${books.caution_percent} %`,
        bytes: (books.usable_bytes / PERCENT) * books.caution_percent,
        tint: 'fill-shoal',
        isBold: false,
      },
      { name: 'used', bytes: books.used_bytes, tint: 'fill-ink', isBold: true },
    ]
      .filter((label): label is typeof label & { bytes: number } => label.bytes !== null)
      .sort((a, b) => b.bytes - a.bytes);
    let last = -Infinity;
    return wanted.map((label) => {
      const at = Math.max(y(label.bytes) + 4, last + FIGURE_GAP);
      last = at + (label.isBold ? LINE : 0);
      return { ...label, at };
    });
  });
</script>

<svg
  viewBox="0 0 {WIDTH} 560"
  width={WIDTH}
  role="img"
  aria-label="{preferences.bytes(books.used_bytes)} used, {preferences.bytes(
    books.provisioned_bytes,
  )} provisioned, {preferences.bytes(books.usable_bytes)} {books.size_name}"
>
  <defs>
    <pattern id="{id}-promised" width="5" height="5" patternUnits="userSpaceOnUse">
      <path d="M0 5L5 0" class="stroke-depth-4" stroke-width="1" />
    </pattern>
  </defs>
  {#if books.provisioned_bytes !== null && books.provisioned_bytes > books.used_bytes}
    <rect
      x={HULL_LEFT}
      width={HULL_WIDTH}
      y={y(books.provisioned_bytes)}
      height={y(books.used_bytes) - y(books.provisioned_bytes)}
      fill="url(#{id}-promised)"
    />
  {/if}
  {#if books.held_bytes > 0}
    <rect
      x={HULL_LEFT}
      width={HULL_WIDTH}
      y={y(heldTop)}
      height={y(thickTop) - y(heldTop)}
      class="fill-plan/40"
    />
    {#if y(thickTop) - y(heldTop) > FIGURE_GAP}
      <text
        x={HULL_LEFT + HULL_WIDTH / 2}
        y={(y(heldTop) + y(thickTop)) / 2 + 4}
        text-anchor="middle"
        class="fill-ink text-xs">held</text
      >
    {/if}
  {/if}
  {#if thickTop > books.used_bytes}
    <rect
      x={HULL_LEFT}
      width={HULL_WIDTH}
      y={y(thickTop)}
      height={y(books.used_bytes) - y(thickTop)}
      class="fill-depth-2"
    />
    {#if y(books.used_bytes) - y(thickTop) > FIGURE_GAP}
      <text
        x={HULL_LEFT + HULL_WIDTH / 2}
        y={(y(thickTop) + y(books.used_bytes)) / 2 + 4}
        text-anchor="middle"
        class="fill-ink text-xs">thick</text
      >
    {/if}
  {/if}
  <rect
    x={HULL_LEFT}
    width={HULL_WIDTH}
    y={y(books.used_bytes)}
    height={BOTTOM - y(books.used_bytes)}
    class="fill-depth-4"
  />
  <rect
    x={HULL_LEFT}
    width={HULL_WIDTH}
    y={y(books.usable_bytes)}
    height={BOTTOM - y(books.usable_bytes)}
    fill="none"
    class="stroke-depth-5"
  />
  {#each figures as bytes (bytes)}
    <path d="M{HULL_LEFT - 9} {y(bytes)}h9" class="stroke-ink" />
    <text x={HULL_LEFT - 13} y={y(bytes) + 4} text-anchor="end" class="figures fill-ink text-xs"
      >{inUnit(bytes)}</text
    >
  {/each}
  {#each [{ percent: books.limit_percent, tint: 'stroke-signal' }, { percent: books.caution_percent, tint: 'stroke-shoal' }] as mark (mark.tint)}
    <path
      d="M{HULL_LEFT - 5} {y((books.usable_bytes / PERCENT) * mark.percent)}H{HULL_RIGHT + 5}"
      class={mark.tint}
      stroke-width="1.6"
      stroke-dasharray="8 4"
    />
  {/each}
  {#each labels as label (label.name)}
    <path d="M{HULL_RIGHT} {y(label.bytes)}L{HULL_RIGHT + 6} {label.at - 4}" class="stroke-rule" />
    <text x={HULL_RIGHT + 8} y={label.at} class="figures text-xs {label.tint}">
      {label.name}
      {#if label.isBold}<tspan x={HULL_RIGHT + 8} dy="13" class="font-semibold"
          >{inUnit(label.bytes)}</tspan
        >{/if}
    </text>
  {/each}
  <text x="8" y={y(top) + 4} class="fill-ink-soft font-serif text-sm italic">{unit.name}</text>
</svg>
