<script lang="ts">
  import type { PoolDetail, Schemas } from '$lib/api/client';
  import { exactBytes, formatAge, formatDay, preferences } from '$lib/format';
  import Marks from './Marks.svelte';
  import Record from './Record.svelte';
  import Seen from './Seen.svelte';

  interface Props {
    pool: PoolDetail;
    figure: string;
    forecast: Schemas['StandingRead'] | null;
    contributors: Schemas['ContributorsRead'] | null;
    mayPlan: boolean;
  }
  let { pool, figure, forecast, contributors, mayPlan }: Props = $props();
  const working = $derived(pool.workings.find((one) => one.figure === figure));
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
            title={step.amount_bytes === null ? '' : exactBytes(step.amount_bytes)}
          >
            {step.sign}
            {step.on ? formatDay(step.on) : ''}{step.on && step.text
              ? ' · '
              : ''}{step.amount_bytes === null ? step.text : preferences.bytes(step.amount_bytes)}
          </dd>
        </div>
      {/each}
    </dl>
  {/if}
  <h3 class="mt-4 font-semibold">Why it stands as it does</h3>
  <p class="text-ink-soft">{pool.attention}: {pool.attention_because}</p>
  {#if forecast}
    <Seen
      findings={forecast.findings}
      explained={contributors?.explained ?? []}
      unit={forecast.unit}
    />
    {#if pool.attention !== 'over'}<Record record={forecast.record} unit={forecast.unit} />{/if}
  {/if}
  <Marks thingId={pool.id} kind="pool" {mayPlan} />
  <h3 class="mt-4 font-semibold">Readings</h3>
  <p class="text-ink-soft">
    {pool.feed_name ? `feed ${pool.feed_name}, Redfish` : 'estate file'}, last read {formatAge(
      pool.read_at,
    )} ago
  </p>
</aside>
