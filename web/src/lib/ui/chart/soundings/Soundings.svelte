<script lang="ts">
  import type { EChartsType } from 'echarts/core';
  import type { Schemas } from '$lib/api/client';
  import { daysUntil, exactBytes, formatAmount, formatDay, preferences } from '$lib/format';
  import { chartTheme } from '../theme';
  import AsTable from '../AsTable.svelte';
  import ChartTable from '../ChartTable.svelte';
  import Probe from '../Probe.svelte';
  import { chartTables } from '../tables.svelte';
  import type { Course, Plan } from './course';
  import { daysRead, PLOT, soundingsOption, type DayRead } from './option';

  /** History, forecast and marks of one amount; a cursor reads a day, a drag a span of days. */
  interface Props {
    course: Course;
    series: Schemas['SoundingsRead'];
    forecast: Schemas['StandingRead'];
    aheadDays: number;
    plan?: Plan | null;
    span: [string, string] | null;
    onspan: (span: [string, string] | null) => void;
  }
  let { course, series, forecast, aheadDays, plan = null, span, onspan }: Props = $props();
  const days = $derived(daysRead({ course, series, forecast, aheadDays, plan }));
  const newest = $derived(days.findLastIndex((one) => one.read !== null));
  let moved: number | null = $state(null);
  const at = $derived(Math.min(moved ?? newest, days.length - 1));
  const amount = (told: number | null) => formatAmount(told, course.unit);
  const dayWords = (one: DayRead | undefined) => {
    if (!one) return '';
    if (one.read !== null) return `${amount(one.read)}${one.isOdd ? ', odd and left out' : ''}`;
    if (one.likely !== null)
      return `likely ${amount(one.likely)}, ${amount(one.low)} to ${amount(one.high)} in 8 of 10 cases`;
    return 'not read';
  };
  const exact = (one: DayRead | undefined) =>
    course.unit === 'bytes' ? exactBytes(one?.read ?? one?.likely ?? null) : '';
  const here = $derived(days[at]);
  const indexOf = (on: string) => days.findIndex((one) => one.on === on);
  const shownSpan = $derived.by((): [number, number] | null => {
    const ends = span?.map(indexOf);
    const [from = -1, to = -1] = ends ?? [];
    return from >= 0 && to >= 0 ? [from, to] : null;
  });
  /** The day at a place, or the last before it that is known: days in between were not read. */
  function lastKnown(index: number): DayRead | undefined {
    return days
      .slice(0, index + 1)
      .findLast((one) => (one.read !== null && !one.isOdd) || one.likely !== null);
  }
  const spanWords = $derived.by(() => {
    const [from, to] = (shownSpan ?? []).map(lastKnown);
    if (!from || !to || from === to) return '';
    const [before, after] = [from, to].map((one) => one.read ?? one.likely ?? 0);
    if (before === undefined || after === undefined) return '';
    const n = daysUntil(to.on, from.on);
    return (
      `${formatDay(from.on)} – ${formatDay(to.on)}, ${n} d: ` +
      `${formatAmount(after - before, course.unit, true)}, ` +
      `${formatAmount((after - before) / Math.max(n, 1), course.unit, true)} a day` +
      (to.read === null ? ', in part forecast' : '')
    );
  });
  const tableRows = $derived(
    days
      .toReversed()
      .filter((one) => one.read !== null || one.likely !== null)
      .map((one) => [
        formatDay(one.on),
        one.read === null ? '' : amount(one.read) + (one.isOdd ? ' (odd)' : ''),
        one.likely === null ? '' : amount(one.likely),
        one.low === null ? '' : amount(one.low),
        one.high === null ? '' : amount(one.high),
      ]),
  );
  let box: HTMLDivElement | undefined = $state();
  let themeTurns = $state(0);
  let chart: EChartsType | undefined = $state.raw();

  $effect(() => {
    const watch = new MutationObserver(() => (themeTurns += 1));
    watch.observe(document.documentElement, { attributeFilter: ['data-theme'] });
    return () => watch.disconnect();
  });

  // One chart for as long as the page stands: what is read anew is drawn into it, not over it.
  $effect(() => {
    const at = box;
    if (!at) return;
    let isGone = false;
    const resize = new ResizeObserver(() => chart?.resize());
    void import('../echarts').then(({ init }) => {
      if (isGone) return;
      chart = init(at, null, { renderer: 'svg' });
      resize.observe(at);
    });
    return () => {
      isGone = true;
      resize.disconnect();
      chart?.dispose();
      chart = undefined;
    };
  });

  $effect(() => {
    if (!chart || themeTurns < 0 || !preferences.system) return;
    const option = soundingsOption({
      course,
      series,
      forecast,
      aheadDays,
      plan,
      theme: chartTheme(),
    });
    chart.setOption(option, { notMerge: true });
  });

  const said = $derived(
    `${course.name}: ${formatAmount(course.amount, course.unit)} now` +
      (course.size === null ? '; ' : ` of ${formatAmount(course.size, course.unit)}; `) +
      `limit mark likely reached ${forecast.limit.likely_on ? formatDay(forecast.limit.likely_on) : 'beyond two years'}.`,
  );
</script>

<p class="figures flex flex-wrap items-baseline gap-x-4">
  <span title={exact(here)}><b>{formatDay(here?.on)}</b> · {dayWords(here)}</span>
  {#if spanWords}<span class="text-plan" aria-live="polite">{spanWords}</span>{/if}
  <span class="ml-auto"><AsTable /></span>
</p>
{#if chartTables.isOn}
  <ChartTable
    label="Soundings"
    columns={['day', 'read', 'likely', '1 in 10 below', '1 in 10 above']}
    rows={tableRows}
  />
{:else}
  <div class="relative">
    <div bind:this={box} class="h-68 w-full" role="img" aria-label={said}></div>
    <Probe
      label="Day of the soundings"
      n={days.length}
      {at}
      span={shownSpan}
      said="{formatDay(here?.on)}: {dayWords(here)}"
      inset={PLOT}
      isPoints
      onmove={(step) => (moved = step)}
      onspan={(drawn) => {
        const [from, to] = (drawn ?? []).map((step) => days[step]?.on);
        onspan(from && to ? [from, to] : null);
      }}
    />
  </div>
{/if}
