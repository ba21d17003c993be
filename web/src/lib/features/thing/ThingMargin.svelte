<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { daysUntil, formatAmount, formatDay } from '$lib/format';
  import Marks from '$lib/features/pool/Marks.svelte';
  import Record from '$lib/features/pool/Record.svelte';
  import Seen from '$lib/features/pool/Seen.svelte';

  /** The arithmetic behind the dates of one resource, and how good they have been. */
  interface Props {
    forecast: Schemas['StandingRead'];
    contributors: Schemas['ContributorsRead'] | null;
    mayPlan: boolean;
  }
  let { forecast, contributors, mayPlan }: Props = $props();
  const WEEK_DAYS = 7;
  const last = $derived(forecast.last_amount);
  const limit = $derived(forecast.marks.limit ?? null);
  const hasEnd = $derived(limit !== null);
  const amount = (told: number | null) => formatAmount(told, forecast.unit);
  const when = (on: string | null) => (on ? `${formatDay(on)} · ${daysUntil(on)} d` : 'beyond 2 y');
  const lines = $derived([
    ...(limit === null ? [] : [{ name: 'limit', told: amount(limit), isResult: false }]),
    { name: 'stands at', told: amount(last), isResult: false },
    ...(limit === null || last === null
      ? []
      : [{ name: 'left to the limit', told: amount(limit - last), isResult: true }]),
    {
      name: 'growth a week',
      told:
        forecast.growth_per_day === null
          ? '–'
          : formatAmount(forecast.growth_per_day * WEEK_DAYS, forecast.unit, true),
      isResult: false,
    },
    ...(hasEnd && forecast.attention !== 'over'
      ? [
          { name: 'likely, even chance', told: when(forecast.limit.likely_on), isResult: true },
          { name: 'early, 1 in 10', told: when(forecast.limit.early_on), isResult: false },
          { name: 'late, 9 in 10', told: when(forecast.limit.late_on), isResult: false },
        ]
      : []),
  ]);
</script>

<aside
  class="min-h-0 overflow-y-auto border-l border-rule bg-paper-raised px-4 pt-2 pb-6"
  aria-label="Working"
>
  <h2 class="water">
    Working <span class="font-sans text-sm text-ink-soft not-italic"
      >{hasEnd ? 'limit reached, likely' : 'nothing ends it'}</span
    >
  </h2>
  <dl class="mt-2">
    {#each lines as line (line.name)}
      <div
        class="flex justify-between gap-3 py-1 {line.isResult
          ? 'border-t border-ink font-semibold'
          : ''}"
      >
        <dt>{line.name}</dt>
        <dd class="figures text-right whitespace-nowrap">{line.told}</dd>
      </div>
    {/each}
  </dl>
  <h3 class="mt-4 font-semibold">Why it stands as it does</h3>
  <p class="text-ink-soft">{forecast.attention}: {forecast.attention_because}</p>
  <Seen
    findings={forecast.findings}
    explained={contributors?.explained ?? []}
    unit={forecast.unit}
  />
  {#if forecast.attention !== 'over'}<Record
      record={forecast.record}
      unit={forecast.unit}
      {hasEnd}
    />{/if}
  <Marks thingId={forecast.entity.id} kind={forecast.entity.kind} {mayPlan} />
</aside>
