<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { BEYOND, formatDay, formatPercent } from '$lib/format';

  /** Dates under another growth, and the chance behind a date that is not given. */
  interface Props {
    forecast: Schemas['StandingRead'];
  }
  let { forecast }: Props = $props();
  const PERCENT = 100;
  const LEAST_CHANCE = 0.005;
  const chance = $derived(forecast.limit_chance ?? 0);
  const range = $derived(
    [forecast.limit.early_on, forecast.limit.likely_on, forecast.limit.late_on].map((on) =>
      on ? formatDay(on) : BEYOND,
    ),
  );
</script>

{#if forecast.growth !== 1}
  <p>
    <span class="text-plan">If it grew {forecast.growth} times as fast:</span>
    limit early {range[0]}, likely {range[1]}, late {range[2]}.
  </p>
{:else if !forecast.limit.likely_on && chance >= LEAST_CHANCE && !forecast.unjudged_because}
  <p class="text-ink-soft">
    No likely date within two years; the chance that the limit is reached all the same is {formatPercent(
      Math.round(chance * PERCENT),
    )}.
  </p>
{/if}
