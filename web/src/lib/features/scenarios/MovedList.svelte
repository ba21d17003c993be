<script lang="ts">
  import { daysUntil, formatDay, kindWord, preferences } from '$lib/format';
  import DraughtGauge from '$lib/ui/DraughtGauge.svelte';
  import RunwayAxis from '$lib/ui/RunwayAxis.svelte';
  import RunwayPair from '$lib/ui/RunwayPair.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { carry } from '$lib/ui/put.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import type { Moved } from './queries';

  /** The runways that a scenario moves: as it is above, with it below; what ends first leads. */
  interface Props {
    moved: Moved[];
    nMoved: number;
  }
  let { moved, nMoved }: Props = $props();
  type Stand = Moved['before'];
  const gone = (one: Moved) => one.after === null;
  const delta = (one: Moved, name: 'used_bytes' | 'size_bytes') => {
    const [before, after] = [one.before?.[name] ?? 0, one.after?.[name] ?? 0];
    return after - before;
  };
  const said = (one: Moved) => {
    if (gone(one)) return 'is there no longer';
    if (one.before === null)
      return `new ${kindWord(one.kind)}, ${preferences.bytes(one.after?.size_bytes)}`;
    const told = [
      delta(one, 'size_bytes') ? `${preferences.bytes(delta(one, 'size_bytes'), true)} size` : '',
      delta(one, 'used_bytes') ? `${preferences.bytes(delta(one, 'used_bytes'), true)} used` : '',
    ].filter(Boolean);
    return told.join(', ') || 'changes later';
  };
  const end = (dates: Moved['dates_after']) =>
    dates.likely_on
      ? formatDay(dates.likely_on)
      : dates.early_on
        ? 'beyond 2 y'
        : 'no end in sight';
  function shift(one: Moved): string {
    const [before, after] = [one.dates_before.likely_on, one.dates_after.likely_on];
    if (gone(one) || one.before === null) return '';
    if (before && after) {
      const days = daysUntil(after) - daysUntil(before);
      return days === 0 ? 'as it was' : `${days > 0 ? '+' : '−'}${Math.abs(days)} d`;
    }
    return before ? 'ends no more' : after ? 'comes to an end' : '';
  }
  // What comes to no end either way is told after all that do, once it is asked for.
  const ends = (one: Moved) =>
    gone(one) ||
    one.before === null ||
    [one.dates_before, one.dates_after].some((dates) => dates.early_on ?? dates.likely_on);
  const ending = $derived(moved.filter(ends));
  let isAll = $state(false);
  const shown = $derived(isAll || ending.length === 0 ? moved : ending);
  const isWorse = (one: Moved) => {
    const far = Number.MAX_SAFE_INTEGER;
    const days = (iso: string | null) => (iso ? daysUntil(iso) : far);
    return days(one.dates_after.early_on) < days(one.dates_before.early_on);
  };
</script>

{#snippet gauge(stand: Stand, one: Moved, label: string)}
  {#if stand?.used_bytes !== null && stand?.used_bytes !== undefined && stand.size_bytes}
    <DraughtGauge
      usedBytes={stand.used_bytes}
      heldBytes={stand.held_bytes ?? 0}
      usableBytes={stand.size_bytes}
      provisionedBytes={stand.promised_bytes}
      cautionPercent={one.caution_percent}
      limitPercent={one.limit_percent}
      {label}
    />
  {:else}<span class="text-center text-ink-soft">–</span>{/if}
{/snippet}

<div class="row-moved pb-1 text-xs text-ink-soft" aria-hidden="true">
  <span></span><span class="text-center">as is</span><span class="text-center text-plan">plan</span>
  <span></span><RunwayAxis /><span>ends, likely</span><span class="text-right text-plan"
    >with the plan</span
  >
</div>
<ul aria-label="Runways that move">
  {#each shown as one (one.id)}
    <li
      class="row-moved border-b border-rule py-0.5"
      draggable={one.before !== null && one.after !== null}
      ondragstart={(event) => carry(event, [{ id: one.id, kind: one.kind, name: one.name }])}
    >
      <StateGlyph state={one.after?.state ?? one.before?.state ?? 'unread'} />
      {@render gauge(one.before, one, `${one.name} as it is`)}
      <span class="plan-gauge">{@render gauge(one.after, one, `${one.name} with the plan`)}</span>
      <span class="min-w-0">
        <a class="lead block font-semibold hover:underline" href={bearing.href(pathOf(one))}
          >{one.name}</a
        >
        <span class="lead block text-xs text-ink-soft" title={one.place}
          >{kindWord(one.kind)} · {said(one)}</span
        >
      </span>
      <RunwayPair
        before={one.dates_before}
        after={one.dates_after}
        leadTimeDays={one.lead_time_days}
      />
      <span class="figures text-ink-soft">{one.before ? end(one.dates_before) : '–'}</span>
      <span class="figures text-right">
        <span class="block font-semibold text-plan"
          >{gone(one) ? 'gone' : end(one.dates_after)}</span
        >
        <span class={['block text-xs', isWorse(one) ? 'text-shoal' : 'text-plan']}
          >{shift(one)}</span
        >
      </span>
    </li>
  {/each}
</ul>
{#if shown.length < moved.length}
  <button class="mt-1 text-depth-5 underline" onclick={() => (isAll = true)}
    >and {moved.length - shown.length} that hold more or less, and end in neither</button
  >
{:else if nMoved > moved.length}<p class="text-ink-soft">and {nMoved - moved.length} more</p>{/if}
