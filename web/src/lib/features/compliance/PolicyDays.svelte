<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { formatCount, formatDay } from '$lib/format';
  import Lanes, { type Lane } from '$lib/ui/chart/Lanes.svelte';
  import { stacked } from '$lib/ui/chart/lanes';
  import { filled } from '$lib/ui/states';
  import { policyDaysQuery, STATES, type Policy } from './queries';

  /** How many subjects of a policy stood how over the days on which that was looked at. */
  interface Props {
    policy: Policy;
  }
  let { policy }: Props = $props();
  const HEIGHT = 80;
  const DAY_MS = 86_400_000;
  const FEWEST = 2; // days, below which there is no course
  const days = createQuery(() => policyDaysQuery(policy.id));
  const told = $derived(days.data ?? []);
  const first = $derived(Date.parse(told[0]?.day ?? ''));
  const n = $derived(
    told.length ? Math.round((Date.parse(told.at(-1)?.day ?? '') - first) / DAY_MS) + 1 : 0,
  );
  const byDay = $derived(new Map(told.map((one) => [one.day, one.counts])));
  const iso = (at: number) => new Date(first + at * DAY_MS).toISOString().slice(0, 10);
  const ORDER = STATES.toReversed().filter((state) => state !== 'exempt');
  const lanes: Lane[] = $derived.by(() => {
    const steps = Array.from({ length: n }, (_, at) => byDay.get(iso(at)) ?? null);
    const parts = ORDER.map((state) => steps.map((one) => (one ? (one[state] ?? 0) : null)));
    const levels = [steps.map((one) => (one ? 0 : null)), ...stacked(parts)];
    return [
      {
        title: 'who kept it',
        unit: 'by day',
        height: HEIGHT,
        bands: ORDER.map((state, at) => ({
          low: levels[at] ?? [],
          high: levels[at + 1] ?? [],
          look: filled(state),
        })),
        lines: [],
      },
    ];
  });
  let at = $state(0);
  const said = $derived.by(() => {
    const counts = byDay.get(n ? iso(at) : '');
    const words = ORDER.filter((state) => (counts?.[state] ?? 0) > 0).map(
      (state) => `${formatCount(counts?.[state] ?? 0)} ${state}`,
    );
    return n ? `${formatDay(iso(at))}: ${words.join(', ') || 'not looked at'}` : '';
  });
</script>

{#if told.length >= FEWEST}
  <Lanes
    label="Who kept it"
    {lanes}
    firstMs={first}
    stepMs={DAY_MS}
    {n}
    {at}
    {said}
    span={null}
    onmove={(to) => (at = to)}
    onspan={() => undefined}
  />
  <p class="text-ink-soft">{said}</p>
{/if}
