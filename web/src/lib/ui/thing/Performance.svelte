<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { exactBytes, formatCount, formatPercent, formatSeconds, preferences } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import AsTable from '$lib/ui/chart/AsTable.svelte';
  import ChartTable from '$lib/ui/chart/ChartTable.svelte';
  import { stepName } from '$lib/ui/chart/lanes';
  import Lanes from '$lib/ui/chart/Lanes.svelte';
  import { chartTables } from '$lib/ui/chart/tables.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import ShareBar from '$lib/ui/ShareBar.svelte';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { lanesOf, operationsOf, overSpan, sizeOf, WAITS } from './performance';
  import { IO_EATERS, IO_WINDOWS, ioEatersOf, ioEatersQuery, performanceQuery } from './queries';

  /** What a thing reads and writes, how long one operation waits and where, and who does most. */
  interface Props {
    id: number;
    kind: string;
  }
  let { id, kind }: Props = $props();
  const PERCENT = 100;
  const FEW = 10; // below it, tenths count
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
  let span: [number, number] | null = $state.raw(null);

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
  const splitAt = $derived.by(() => {
    const [read, write] = [told.data?.read_latency_ms[at], told.data?.write_latency_ms[at]];
    const isTold = typeof read === 'number' || typeof write === 'number';
    return isTold ? `a read ${ms(read)}, of a write ${ms(write)}` : '';
  });
  const said = $derived(
    `${momentOf(at)}: ${rate(told.data?.read_iops[at])} reads and ` +
      `${rate(told.data?.write_iops[at])} writes a second, ${ms(told.data?.latency_ms[at])} ms` +
      (splitAt ? `, of ${splitAt}` : '') +
      partsAt.map((part) => `, ${part.name} ${ms(part.ms)}`).join(''),
  );
  const drawn = $derived(span && told.data ? overSpan(told.data, span) : null);
  const room = $derived.by(() => {
    const sustains = told.data?.sustains_iops ?? null;
    const known = done.filter((one): one is number => one !== null);
    if (!told.data || sustains === null || sustains <= 0 || known.length === 0) return null;
    const most = Math.max(...told.data.most_iops.map((one) => one ?? 0), ...known);
    const mean = known.reduce((sum, one) => sum + one, 0) / known.length;
    const left = (amount: number) => Math.round(PERCENT * Math.max(1 - amount / sustains, 0));
    return { most, left: left(most), leftInMean: left(mean) };
  });
  const columns = [
    'from',
    'IOPS',
    'reads/s',
    'writes/s',
    'least',
    'most',
    'ms',
    'of a read',
    'of a write',
  ].concat(WAITS.map((part) => part.name));
  const rows = $derived(
    done.map((both, step) => [
      momentOf(step),
      ...[
        both,
        told.data?.read_iops[step],
        told.data?.write_iops[step],
        told.data?.least_iops[step],
        told.data?.most_iops[step],
      ].map(rate),
      ms(told.data?.latency_ms[step]),
      ms(told.data?.read_latency_ms[step]),
      ms(told.data?.write_latency_ms[step]),
      ...WAITS.map((part) => ms(told.data?.[part.key][step])),
    ]),
  );
  const fewest = $derived(
    Math.min(
      ...(told.data?.least_read.filter((count) => count > 0) ?? []),
      told.data?.n_things ?? 0,
    ),
  );
  /** By what one is ranked: operations, or bytes where nobody counts those. */
  const weightOf = (one: { iops: number | null; bytes_per_second: number | null }) =>
    one.iops ?? one.bytes_per_second;
  const mostDone = $derived(Math.max(...(eaters.data?.map((one) => weightOf(one) ?? 0) ?? []), 1));
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
      <span class="ml-auto"><AsTable /></span>
    </div>
    <p class="figures">
      <b>{momentOf(at)}</b> · {rate(told.data.read_iops[at])} reads of
      {preferences.bytes(readSize[at] ?? null)}, {rate(told.data.write_iops[at])} writes of
      {preferences.bytes(writeSize[at] ?? null)} a second{told.data.latency_ms.some(
        (wait) => wait !== null,
      )
        ? ` · ${ms(told.data.latency_ms[at])} ms${splitAt ? ` (of ${splitAt})` : ''}`
        : '; nobody tells how long they wait'}{#each partsAt as part (part.key)}<span
          class="ml-3 whitespace-nowrap"
          ><svg width="10" height="10" class="mr-1 inline" aria-hidden="true"
            ><rect width="10" height="10" class={part.look} /></svg
          >{part.name}
          {ms(part.ms)}</span
        >{/each}
    </p>
    {#if room}
      <p class="text-ink-soft">
        Room to what it sustains: <b class="text-ink">{formatPercent(room.left)}</b> at the busiest
        of this window ({rate(room.most)} of {rate(told.data.sustains_iops)} operations a second),
        {formatPercent(room.leftInMean)} in the mean. What it sustains is told by its source; beyond it
        waits grow without end.
      </p>
    {/if}
    {#if drawn && span}
      <p class="figures text-plan" aria-live="polite">
        <b>{momentOf(span[0])} – {momentOf(span[1])}</b> · {rate(drawn.iops)} IOPS in the mean,
        {rate(drawn.least)} to {rate(drawn.most)} · {ms(drawn.latencyMs)} ms{drawn.qosMs
          ? `, of which its limit adds ${ms(drawn.qosMs)}`
          : ''}
      </p>
    {/if}
    {#if chartTables.isOn}
      <ChartTable label="Means" {columns} {rows} />
    {:else}
      <Lanes
        label="Reads and writes over time"
        lanes={lanesOf(told.data)}
        {firstMs}
        {stepMs}
        {n}
        {at}
        {said}
        {span}
        onmove={(step) => (moved = step)}
        onspan={(drawn) => (span = drawn)}
      />
    {/if}
    {#if isMany && eaters.data && (eaters.data.length > 0 || by.key !== IO_EATERS[0].key)}
      <div class="mt-2 flex flex-wrap items-baseline gap-x-5 gap-y-1">
        <h3 class="font-semibold">Who reads and writes most</h3>
        <Choice
          label="Who reads and writes most, by"
          options={ioEatersOf(kind)}
          value={by.key}
          onpick={(key) => void setQuery('io_by', key === IO_EATERS[0].key ? '' : key)}
        />
      </div>
      <ol aria-label="Who reads and writes most">
        {#each eaters.data as one (one.id)}
          <li class="row-eater figures border-b border-rule py-0.5">
            <a class="lead hover:underline" href={bearing.href(pathOf(one))}>{one.name}</a>
            <ShareBar amount={weightOf(one)} most={mostDone} />
            {#if one.iops === null}
              <span class="text-right" title={exactBytes(one.bytes_per_second)}
                >{preferences.bytes(one.bytes_per_second)}/s</span
              >
            {:else}
              <span
                class="text-right"
                title="in the mean; {rate(one.most_iops)} in its busiest step"
                >{rate(one.iops)}/s</span
              >
            {/if}
            <span class="text-right text-ink-soft"
              >{formatPercent(Math.round(one.share * PERCENT))}</span
            >
            <span class="text-right"
              >{one.latency_ms === null ? '' : `${ms(one.latency_ms)} ms`}</span
            >
            <span class="text-right {one.qos_latency_ms ? 'text-shoal' : 'text-ink-soft'}"
              >{one.qos_latency_ms ? `held ${ms(one.qos_latency_ms)}` : ''}</span
            >
          </li>
        {:else}
          <li class="py-1 text-ink-soft">Nothing was told of its {by.name} in this window.</li>
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
