<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { exactBytes, formatCount, formatPercent, preferences } from '$lib/format';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import type { Member, Segment } from './strata';

  /** One layer of the strata: its segments as high as their bytes, each with its gauge. */
  interface Props {
    layer: Schemas['LayerRead'];
    segments: Segment[];
    chosenId: number | null;
    isSigned: boolean; // growth may fall
    onpick: (member: Member, isExcluding: boolean) => void;
    onwalk: (event: KeyboardEvent) => void;
  }
  let { layer, segments, chosenId, isSigned, onpick, onwalk }: Props = $props();

  const PERCENT = 100;
  const TALL_PX = 34; // name and bytes on two lines
  const share = (segment: Segment) =>
    layer.total.known_bytes > 0 && segment.amount !== null
      ? formatPercent(Math.round((segment.amount / layer.total.known_bytes) * PERCENT))
      : '';
  const told = (segment: Segment) =>
    [
      segment.amount === null
        ? segment.member
          ? 'unread'
          : ''
        : preferences.bytes(segment.amount, isSigned),
      share(segment),
    ]
      .filter(Boolean)
      .join(' · ');
  const fill = (member: Member) =>
    member.size_bytes && member.used_bytes !== null
      ? Math.min(member.used_bytes / member.size_bytes, 1)
      : null;
  const tint = (segment: Segment) =>
    segment.member?.id === chosenId
      ? 'segment-chosen'
      : segment.member
        ? 'segment-thing'
        : 'segment-rest';
</script>

<div class="flex items-baseline justify-between pb-1">
  <span class="water">{layer.title || 'nothing'}</span>
  <span class="figures text-ink-soft">{formatCount(layer.n_all)}</span>
</div>
<div
  class="strata-column"
  style:--tall="{segments.at(-1)
    ? (segments.at(-1)?.top ?? 0) + (segments.at(-1)?.height ?? 0)
    : 0}px"
  role="listbox"
  aria-label="{layer.title}, {formatCount(layer.n_all)} in all"
>
  {#each segments as segment (segment.key)}
    {@const member = segment.member}
    {@const part = member ? fill(member) : null}
    <div
      class="segment {tint(segment)}"
      style:--top="{segment.top}px"
      style:--height="{segment.height}px"
      role="option"
      tabindex={member && (member.id === chosenId || (chosenId === null && segment === segments[0]))
        ? 0
        : -1}
      aria-selected={member?.id === chosenId}
      aria-disabled={member === null}
      aria-label="{segment.name}, {told(segment)}{member?.state ? `, ${member.state}` : ''}"
      title="{segment.name}: {exactBytes(segment.amount)}{segment.note ? `; ${segment.note}` : ''}"
      data-member={member?.id}
      onclick={(event) => member && onpick(member, event.altKey)}
      onkeydown={onwalk}
    >
      {#if member && part !== null}
        <svg
          class="segment-gauge"
          viewBox="0 0 12 100"
          preserveAspectRatio="none"
          aria-hidden="true"
        >
          <rect width="12" height="100" class="fill-paper-raised" />
          <rect
            width="12"
            y={PERCENT * (1 - part)}
            height={PERCENT * part}
            class={part * PERCENT >= (member.limit_percent ?? PERCENT)
              ? 'fill-depth-5'
              : 'fill-depth-4'}
          />
          {#if member.limit_percent !== null}
            <path
              d="M0 {PERCENT - member.limit_percent}H12"
              class="stroke-ink"
              stroke-width="1.4"
              vector-effect="non-scaling-stroke"
            />
          {/if}
        </svg>
      {/if}
      <div class="flex min-w-0 items-center gap-1.5">
        {#if member?.state}<StateGlyph state={member.state} width="13" height="13" />{/if}
        <span class="lead max-w-full shrink-0 {member?.id === chosenId ? 'font-semibold' : ''}"
          >{segment.name}</span
        >
        {#if segment.height < TALL_PX}
          <span class="figures lead ml-auto text-xs">{told(segment)}</span>
        {/if}
      </div>
      {#if segment.height >= TALL_PX}
        <div class="figures lead text-xs {member?.state ? 'pl-5' : ''}">{told(segment)}</div>
      {/if}
    </div>
  {:else}
    <p class="text-ink-soft">nothing is told of here</p>
  {/each}
</div>
