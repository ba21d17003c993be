<script lang="ts">
  import type { EChartsType } from 'echarts/core';
  import type { Schemas } from '$lib/api/client';
  import { formatAmount, formatDay, preferences } from '$lib/format';
  import { chartTheme } from '$lib/ui/chart-theme';
  import type { Course } from './course';
  import { soundingsOption } from './soundings';

  interface Props {
    course: Course;
    series: Schemas['SoundingsRead'];
    forecast: Schemas['StandingRead'];
    aheadDays: number;
  }
  let { course, series, forecast, aheadDays }: Props = $props();
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
    void import('$lib/ui/echarts').then(({ init }) => {
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
    const option = soundingsOption({ course, series, forecast, aheadDays, theme: chartTheme() });
    chart.setOption(option, { notMerge: true });
  });

  const said = $derived(
    `${course.name}: ${formatAmount(course.amount, course.unit)} now` +
      (course.size === null ? '; ' : ` of ${formatAmount(course.size, course.unit)}; `) +
      `limit mark likely reached ${forecast.limit.likely_on ? formatDay(forecast.limit.likely_on) : 'beyond two years'}.`,
  );
</script>

<div bind:this={box} class="h-68 w-full" role="img" aria-label={said}></div>
