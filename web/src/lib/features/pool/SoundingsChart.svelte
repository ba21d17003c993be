<script lang="ts">
  import type { PoolDetail, Schemas } from '$lib/api/client';
  import { formatDay, preferences } from '$lib/format';
  import { chartTheme } from '$lib/ui/chart-theme';
  import { soundingsOption } from './soundings';

  interface Props {
    pool: PoolDetail;
    series: Schemas['SoundingsRead'];
    forecast: Schemas['StandingRead'];
    aheadDays: number;
  }
  let { pool, series, forecast, aheadDays }: Props = $props();
  let box: HTMLDivElement | undefined = $state();
  let themeTurns = $state(0);

  $effect(() => {
    const watch = new MutationObserver(() => (themeTurns += 1));
    watch.observe(document.documentElement, { attributeFilter: ['data-theme'] });
    return () => watch.disconnect();
  });

  $effect(() => {
    const at = box;
    if (!at || themeTurns < 0 || !preferences.system) return;
    const option = soundingsOption({ pool, series, forecast, aheadDays, theme: chartTheme() });
    let dispose = () => {};
    let isGone = false;
    void import('$lib/ui/echarts').then(({ init }) => {
      if (isGone) return;
      const chart = init(at, null, { renderer: 'svg' });
      chart.setOption(option);
      const resize = new ResizeObserver(() => chart.resize());
      resize.observe(at);
      dispose = () => {
        resize.disconnect();
        chart.dispose();
      };
    });
    return () => {
      isGone = true;
      dispose();
    };
  });

  const said = $derived(
    `Used bytes: ${preferences.bytes(pool.used_bytes)} now of ${preferences.bytes(pool.usable_bytes)}; ` +
      `limit mark likely reached ${forecast.limit.likely_on ? formatDay(forecast.limit.likely_on) : 'beyond two years'}.`,
  );
</script>

<div bind:this={box} class="h-68 w-full" role="img" aria-label={said}></div>
