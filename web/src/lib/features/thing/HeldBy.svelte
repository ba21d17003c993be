<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { reservationsQuery } from '$lib/api/scenarios';
  import { formatCount, formatDay, preferences } from '$lib/format';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing } from '$lib/url/bearing.svelte';

  /** For whom how much of a thing is held: accepted scenarios, and tenants who draw on it. */
  interface Props {
    thingId: number;
  }
  let { thingId }: Props = $props();
  const reservations = createQuery(() => reservationsQuery(thingId));
</script>

<ProblemNote of="What is held" error={reservations.error} onretry={() => reservations.refetch()} />
{#if reservations.data && reservations.data.length > 0}
  <h2 class="water pt-3">Held of it</h2>
  <table class="figures w-full text-left" aria-label="Held of it">
    <thead class="text-ink-soft">
      <tr class="border-b border-rule">
        {#each ['for', 'of', 'from', 'until'] as head (head)}<th class="py-1 font-normal">{head}</th
          >{/each}
        <th class="py-1 text-right font-normal">at most</th>
        <th class="py-1 text-right font-normal">came</th>
        <th class="py-1 text-right font-normal">IOPS, busy</th>
      </tr>
    </thead>
    <tbody>
      {#each reservations.data as one (`${one.scenario_id}.${one.for_name}.${one.id}`)}
        <tr class="border-b border-rule">
          <th scope="row" class="py-1 pr-3 font-normal"
            ><a
              class="font-semibold text-plan hover:underline"
              href={bearing.href(
                one.scenario_id === null ? '/allotments' : `/scenarios/${one.scenario_id}`,
              )}>{one.for_name}</a
            ></th
          >
          <td class="py-1 pr-3">{one.home_name ? `${one.home_name} · ` : ''}{one.name}</td>
          <td class="py-1 pr-3 whitespace-nowrap">{formatDay(one.first_on)}</td>
          <td class="py-1 pr-3 whitespace-nowrap"
            >{one.has_lapsed ? 'lapsed ' : ''}{one.lapses_on
              ? formatDay(one.lapses_on)
              : 'ended'}</td
          >
          <td class="py-1 text-right">{preferences.bytes(one.most_bytes)}</td>
          <td class="py-1 text-right">{one.come_bytes ? preferences.bytes(one.come_bytes) : '–'}</td
          >
          <td class="py-1 text-right">{one.busy_iops ? formatCount(one.busy_iops) : '–'}</td>
        </tr>
      {/each}
    </tbody>
  </table>
  <p class="text-ink-soft">The course above, its dates and the books of those days have it in.</p>
{/if}
