<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { formatDay } from '$lib/format';
  import { bearing } from '$lib/url/bearing.svelte';

  /** What a scenario that is looked at makes of the course and its dates. */
  interface Props {
    plan: Schemas['ScenarioCourseRead'];
  }
  let { plan }: Props = $props();
  const ends = (on: string | null) => (on ? formatDay(on) : 'beyond two years');
  const isMoved = $derived(plan.dates_before.likely_on !== plan.dates_after.likely_on);
</script>

<p class="border-l-2 border-plan py-0.5 pl-2">
  <span class="text-plan"
    >With <a class="underline" href={bearing.href(`/scenarios/${bearing.scenario}`)}>the scenario</a
    > in violet:</span
  >
  it likely ends {isMoved
    ? `${ends(plan.dates_after.likely_on)}, not ${ends(plan.dates_before.likely_on)}`
    : `as without it, ${ends(plan.dates_after.likely_on)}`}{plan.dates_after.early_on
    ? `; in the bad case ${formatDay(plan.dates_after.early_on)}`
    : ''}. The dates beside are of the estate as it is.
</p>
