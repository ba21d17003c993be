<script lang="ts">
  import type { PoolDetail, Schemas } from '$lib/api/client';
  import { exactBytes, formatAge, formatAmount, formatDay } from '$lib/format';
  import Promises from '$lib/ui/thing/Promises.svelte';
  import Notes from '$lib/ui/thing/Notes.svelte';
  import Marks from './Marks.svelte';
  import Record from './Record.svelte';
  import Seen from './Seen.svelte';

  /** The arithmetic behind the chosen figure, and how good the dates have been. */
  interface Props {
    thing: { id: number; kind: string };
    figure: string;
    forecast: Schemas['StandingRead'] | null;
    pool: PoolDetail | null;
    workings: Schemas['WorkingRead'][]; // of its books
    contributors: Schemas['ContributorsRead'] | null;
    mayPlan: boolean;
  }
  let { thing, figure, forecast, pool, workings: ofBooks, contributors, mayPlan }: Props = $props();
  const workings = $derived([...(forecast?.workings ?? []), ...ofBooks]);
  const working = $derived(workings.find((one) => one.figure === figure) ?? workings[0]);
  const stands = $derived(forecast ?? pool);
  const isBytes = $derived(working?.unit === 'bytes');
  type Step = Schemas['StepRead'];
  const told = (step: Step, unit: string) =>
    [
      step.on ? formatDay(step.on) : '',
      step.amount === null ? step.text : formatAmount(step.amount, unit),
    ]
      .filter(Boolean)
      .join(' · ');
</script>

<aside
  class="min-h-0 overflow-y-auto border-l border-rule bg-paper-raised px-4 pt-2 pb-6"
  aria-label="Working"
>
  <h2 class="water">
    Working <span class="font-sans text-sm text-ink-soft not-italic">{working?.title ?? ''}</span>
  </h2>
  {#if working}
    <p class="mt-1 text-ink-soft">{working.says}</p>
    <dl class="mt-2">
      {#each working.steps as step, index (index)}
        <div
          class="flex justify-between gap-3 py-1 {step.is_result
            ? 'border-t border-ink font-semibold'
            : ''}"
        >
          <dt>{step.label}</dt>
          <dd
            class="figures text-right whitespace-nowrap"
            title={isBytes && step.amount !== null ? exactBytes(step.amount) : ''}
          >
            {step.sign}
            {told(step, working.unit)}
          </dd>
        </div>
      {/each}
    </dl>
  {/if}
  {#if stands}
    <h3 class="mt-4 font-semibold">Why it stands as it does</h3>
    <p class="text-ink-soft">{stands.attention}: {stands.attention_because}</p>
  {/if}
  {#if forecast}
    <Seen
      findings={forecast.findings}
      explained={contributors?.explained ?? []}
      unit={forecast.unit}
    />
    {#if forecast.attention !== 'over'}
      <Record
        record={forecast.record}
        unit={forecast.unit}
        hasEnd={forecast.marks.limit !== null}
      />
    {/if}
  {/if}
  <Promises id={thing.id} kind={thing.kind} />
  <Notes id={thing.id} />
  <Marks thingId={thing.id} kind={thing.kind} {mayPlan} />
  {#if pool}
    <h3 class="mt-4 font-semibold">Readings</h3>
    <p class="text-ink-soft">
      {pool.feed_name ? `feed ${pool.feed_name}` : 'estate file'}, last read {formatAge(
        pool.read_at,
      )} ago
    </p>
  {/if}
</aside>
