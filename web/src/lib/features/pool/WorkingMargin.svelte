<script lang="ts">
  import type { PoolDetail } from '$lib/api/client';
  import { exactBytes, formatAge, formatDay, preferences } from '$lib/format';

  interface Props {
    pool: PoolDetail;
    figure: string;
    oddOn: string[];
    shifts: { on: string; bytes: number }[];
  }
  let { pool, figure, oddOn, shifts }: Props = $props();
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
  {#if shifts.length > 0 || oddOn.length > 0}
    <h3 class="mt-4 font-semibold">Not counted as growth</h3>
    <ul class="text-ink-soft">
      {#each shifts as shift (shift.on)}
        <li>{formatDay(shift.on)}: {preferences.bytes(shift.bytes, true)} in one day, a shift</li>
      {/each}
      {#each oddOn as on (on)}
        <li>{formatDay(on)}: one odd reading</li>
      {/each}
    </ul>
  {/if}
  {#if pool.attention !== 'over'}
    <h3 class="mt-4 font-semibold">How good were we here</h3>
    <dl class="text-ink-soft">
      {#each [{ name: 'said a week ago', on: pool.said_week_ago_on }, { name: 'said a month ago', on: pool.said_month_ago_on }] as said (said.name)}
        <div class="flex justify-between gap-3">
          <dt>{said.name}</dt>
          <dd class="figures">{said.on ? formatDay(said.on) : 'beyond 2 y, or not judged'}</dd>
        </div>
      {/each}
    </dl>
  {/if}
  <h3 class="mt-4 font-semibold">Readings</h3>
  <p class="text-ink-soft">
    {pool.feed_name ? `feed ${pool.feed_name}, Redfish` : 'estate file'}, last read {formatAge(
      pool.read_at,
    )} ago
  </p>
</aside>
