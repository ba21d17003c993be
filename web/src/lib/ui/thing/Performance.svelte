<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { formatCount, formatPercent, formatSeconds, preferences } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import { stepName } from '$lib/ui/chart/lanes';
  import Lanes from '$lib/ui/chart/Lanes.svelte';
  import { onSign } from '$lib/ui/keys.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { lanesOf, operationsOf, sizeOf, WAITS } from './performance';
  import { IO_EATERS, IO_WINDOWS, ioEatersQuery, performanceQuery } from './queries';

  /** What a thing reads and writes, how long one operation waits and where, and who does most. */
  interface Props {
    id: number;
    kind: string;
  }
  let { id, kind }: Props = $props();
  const PERCENT = 100;
  const FEW = 10; // below it, tenths count
  const WIDTH = 1000;
  const asked = $derived(page.url.searchParams);
  const days = $derived(IO_WINDOWS.find(({ key }) => key === asked.get('io')) ?? IO_WINDOWS[0]);
  const by = $derived(IO_EATERS.find(({ key }) => key === asked.get('io_by')) ?? IO_EATERS[0]);
  const told = createQuery(() => performanceQuery(id, bearing.asked.at, days.days));
  const isMany = $derived(kind !== 'disk' && kind !== 'vm');
  const eaters = createQuery(() => ({
    ...ioEatersQuery(id, bearing.asked.at, days.days, by.key),
    enabled: told.data !== undefined && told.data.source !== 'none' && isMany,
  }));
  let moved: number | null = $state(null);
  let isTable = $state(false);
  onSign('v', 'a chart as a table, and back', () => (isTable = !isTable));

  const n = $derived(told.data?.read_iops.length ?? 0);
  const done = $derived(told.data ? operationsOf(told.data) : []);
  const newest = $derived(done.findLastIndex((amount) => amount !== null));
  const at = $derived(Math.min(moved ?? newest, n - 1));
  const firstMs = $derived(Date.parse(told.data?.first_at ?? ''));
  const stepMs = $derived((told.data?.bin_seconds ?? 1) * 1000);
  const readSize = $derived(
    told.data ? sizeOf(told.data.read_bytes_per_second, told.data.read_iops) : [],
  );
  const writeSize = $derived(
    told.data ? sizeOf(told.data.write_bytes_per_second, told.data.write_iops) : [],
  );
  const rate = (amount: number | null | undefined) =>
    amount === null || amount === undefined
      ? '–'
      : amount > 0 && amount < FEW
        ? amount.toFixed(1)
        : formatCount(Math.round(amount));
  const ms = (amount: number | null | undefined) =>
    amount === null || amount === undefined ? '–' : amount.toFixed(amount < FEW ? 2 : 0);
  const momentOf = (step: number) => stepName(firstMs + step * stepMs, stepMs);
  const partsAt = $derived(
    WAITS.map((part) => ({ ...part, ms: told.data?.[part.key][at] ?? null })).filter(
      (part) => part.ms !== null,
    ),
  );
  const said = $derived(
    `${momentOf(at)}: ${rate(told.data?.read_iops[at])} reads and ` +
      `${rate(told.data?.write_iops[at])} writes a second, ${ms(told.data?.latency_ms[at])} ms` +
      partsAt.map((part) => `, ${part.name} ${ms(part.ms)}`).join(''),
  );
  const fewest = $derived(
    Math.min(
      ...(told.data?.least_read.filter((count) => count > 0) ?? []),
      told.data?.n_things ?? 0,
    ),
  );
  const mostDone = $derived(Math.max(...(eaters.data?.map((one) => one.iops) ?? []), 1));
</script>

{#if told.data && told.data.source !== 'none'}
  <section class="mt-4" aria-label="Reads and writes" aria-busy={told.isPlaceholderData}>
    <div class="flex flex-wrap items-baseline gap-x-5 gap-y-1">
      <h2 class="water">Reads and writes</h2>
      <Choice
        label="Reads and writes over"
        options={[...IO_WINDOWS]}
        value={days.key}
        onpick={(key) => void setQuery('io', key === IO_WINDOWS[0].key ? '' : key)}
      />
      <span class="text-ink-soft"
        >{told.data.source === 'own'
          ? 'as told of it'
          : `${formatCount(told.data.n_things)} disks added up${
              fewest < told.data.n_things ? `, of some steps only ${formatCount(fewest)}` : ''
            }`}, means of {formatSeconds(told.data.read_seconds)}</span
      >
      <button
        class="ml-auto text-depth-5 underline"
        aria-pressed={isTable}
        onclick={() => (isTable = !isTable)}>{isTable ? 'as a chart' : 'as a table'}</button
      >
    </div>
    <p class="figures">
      <b>{momentOf(at)}</b> · {rate(told.data.read_iops[at])} reads of
      {preferences.bytes(readSize[at] ?? null)}, {rate(told.data.write_iops[at])} writes of
      {preferences.bytes(writeSize[at] ?? null)} a second{told.data.latency_ms.some(
        (wait) => wait !== null,
      )
        ? ` · ${ms(told.data.latency_ms[at])} ms`
        : '; nobody tells how long they wait'}{#each partsAt as part (part.key)}<span
          class="ml-3 whitespace-nowrap"
          ><svg width="10" height="10" class="mr-1 inline" aria-hidden="true"
            ><rect width="10" height="10" class={part.look} /></svg
          >{part.name}
          {ms(part.ms)}</span
        >{/each}
    </p>
    {#if isTable}
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <div class="max-h-80 overflow-y-auto" role="region" tabindex="0" aria-label="Means">
        <table class="figures w-full text-right">
          <thead class="sticky top-0 bg-paper text-ink-soft">
            <tr>
              <th class="text-left font-normal">from</th>
              <th class="font-normal">IOPS</th>
              <th class="font-normal">reads/s</th>
              <th class="font-normal">writes/s</th>
              <th class="font-normal">least</th>
              <th class="font-normal">most</th>
              <th class="font-normal">ms</th>
              {#each WAITS as part (part.key)}<th class="font-normal">{part.name}</th>{/each}
            </tr>
          </thead>
          <tbody>
            {#each done as both, step (step)}
              <tr class="border-b border-rule">
                <td class="text-left">{momentOf(step)}</td>
                <td>{rate(both)}</td>
                <td>{rate(told.data.read_iops[step])}</td>
                <td>{rate(told.data.write_iops[step])}</td>
                <td>{rate(told.data.least_iops[step])}</td>
                <td>{rate(told.data.most_iops[step])}</td>
                <td>{ms(told.data.latency_ms[step])}</td>
                {#each WAITS as part (part.key)}<td>{ms(told.data[part.key][step])}</td>{/each}
              </tr>
            {/each}
          </tbody>
        </table>
      </div>
    {:else}
      <Lanes
        label="Reads and writes over time"
        lanes={lanesOf(told.data)}
        {firstMs}
        {stepMs}
        {n}
        {at}
        {said}
        onmove={(step) => (moved = step)}
      />
    {/if}
    {#if isMany && eaters.data?.length}
      <div class="mt-2 flex flex-wrap items-baseline gap-x-5 gap-y-1">
        <h3 class="font-semibold">Who reads and writes most</h3>
        <Choice
          label="Who reads and writes most, by"
          options={[...IO_EATERS]}
          value={by.key}
          onpick={(key) => void setQuery('io_by', key === IO_EATERS[0].key ? '' : key)}
        />
      </div>
      <ol aria-label="Who reads and writes most">
        {#each eaters.data as one (one.id)}
          <li class="row-eater figures border-b border-rule py-0.5">
            <a class="lead hover:underline" href={bearing.href(pathOf(one))}>{one.name}</a>
            <svg
              viewBox="0 0 {WIDTH} 10"
              preserveAspectRatio="none"
              class="h-2.5 w-full"
              aria-hidden="true"
            >
              <rect width={WIDTH} height="10" class="fill-depth-1" />
              <rect width={(one.iops / mostDone) * WIDTH} height="10" class="fill-depth-4" />
            </svg>
            <span class="text-right" title="in the mean; {rate(one.most_iops)} in its busiest step"
              >{rate(one.iops)}/s</span
            >
            <span class="text-right text-ink-soft"
              >{formatPercent(Math.round(one.share * PERCENT))}</span
            >
            <span class="text-right">{ms(one.latency_ms)} ms</span>
            <span class="text-right {one.qos_latency_ms ? 'text-shoal' : 'text-ink-soft'}"
              >{one.qos_latency_ms ? `held ${ms(one.qos_latency_ms)}` : ''}</span
            >
          </li>
        {/each}
      </ol>
    {/if}
  </section>
{:else if told.error}
  <ProblemNote of="Reads and writes" error={told.error} onretry={() => told.refetch()} />
{:else if told.data}
  <p class="mt-4 text-ink-soft">
    No reads and writes were told of it in {days.name}, nor of a disk on it; a feed of counters
    would tell them.
  </p>
{:else}
  <Pending of="reads and writes" class="mt-4" />
{/if}
