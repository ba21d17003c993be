<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { scenarioNamesQuery } from '$lib/api/scenarios';
  import { formatDay } from '$lib/format';
  import Pick from '$lib/ui/Pick.svelte';
  import { writeQuery } from '$lib/url/bearing.svelte';

  /** The head of places: until when they are looked at, and into which scenario one is put. */
  interface Props {
    until: string;
    into: string; // the id of a scenario; nothing: a new one
  }
  let { until, into }: Props = $props();
  const scenarios = createQuery(scenarioNamesQuery);
  const drafts = $derived((scenarios.data ?? []).filter((one) => one.state === 'draft'));
</script>

<div class="flex flex-wrap items-baseline gap-3">
  <h2 class="water">Where it can go</h2>
  <p class="text-ink-soft">until {formatDay(until)}, one chance in ten aside</p>
  <div class="ml-auto flex items-center gap-2">
    <span class="text-ink-soft">a place is put into</span>
    <Pick
      class="w-48"
      label="Into which scenario"
      items={[
        { value: '', name: 'a new scenario' },
        ...drafts.map((one) => ({ value: String(one.id), name: one.name })),
      ]}
      value={into}
      onpick={(told) => void writeQuery({ into: told || null })}
    />
  </div>
</div>
