<script lang="ts">
  import Lanes, { type Lane } from '$lib/ui/chart/Lanes.svelte';
  import { stepName } from '$lib/ui/chart/lanes';
  import { formatCount } from '$lib/format';
  import type { Schemas } from '$lib/api/client';

  /** One disk step by step: what it did, what it asked for, what it would have done. */
  interface Props {
    course: Schemas['ReplayCourseRead'];
    isTrial: boolean;
  }
  let { course, isTrial }: Props = $props();
  const HEIGHT = 90;
  const firstMs = $derived(Date.parse(course.begins_at));
  const stepMs = $derived(course.step_seconds * 1000);
  const n = $derived(course.done.length);
  let at = $state(0);
  let span = $state.raw<[number, number] | null>(null);
  const asked = $derived(
    course.asked.map((iops, step) => (course.is_estimated[step] ? iops : null)),
  );
  const lanes: Lane[] = $derived([
    {
      title: 'operations',
      unit: 'a second',
      height: HEIGHT,
      bands: [],
      lines: [
        { values: course.recorded, look: 'stroke-depth-4' },
        { values: asked, look: 'stroke-shoal', dash: '3 2' },
        ...(isTrial ? [{ values: course.done, look: 'stroke-plan' }] : []),
      ],
    },
    {
      title: 'delay by limits',
      unit: 'ms',
      height: HEIGHT / 2,
      bands: [],
      lines: [{ values: course.delay_ms, look: isTrial ? 'stroke-plan' : 'stroke-depth-4' }],
    },
  ]);
  const said = $derived.by(() => {
    const figure = (iops: number | null | undefined) =>
      iops == null ? 'unread' : formatCount(Math.round(iops));
    const asks = course.is_least[at] ? 'asked for at least' : 'asked for';
    return (
      `${stepName(firstMs + at * stepMs, stepMs)}: did ${figure(course.recorded[at])}, ` +
      `${asks} ${figure(course.asked[at])}` +
      (isTrial ? `, would have done ${figure(course.done[at])}` : '') +
      `, delay ${(course.delay_ms[at] ?? 0).toFixed(1)} ms`
    );
  });
</script>

{#if n > 0}
  <Lanes
    label="Course of the disk"
    {lanes}
    {firstMs}
    {stepMs}
    {n}
    {at}
    {said}
    {span}
    onmove={(to) => (at = to)}
    onspan={(to) => (span = to)}
  />
  <p class="text-ink-soft" aria-live="polite">{said}</p>
  <p class="text-ink-soft">
    <span class="text-depth-4">recorded</span> ·
    <span class="text-shoal">asked for, estimated</span>
    {#if isTrial}· <span class="text-plan">with the limit that is tried</span>{/if}
  </p>
{/if}
