<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import { counted, formatAge, formatCount, kindWord } from '$lib/format';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { drawn } from '$lib/ui/states';
  import { pagesOf, type Column } from '$lib/ui/table/columns';
  import Table from '$lib/ui/table/Table.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import LaneBar from './LaneBar.svelte';
  import LaneMarks from './LaneMarks.svelte';
  import LanesOn from './LanesOn.svelte';
  import LaneTools from './LaneTools.svelte';
  import { laneScale } from './lane-scale';
  import {
    IO_STATES,
    laneGroupsQuery,
    type Drawn,
    type GroupKind,
    type LaneGroup,
    type WantedLanes,
  } from './tiers';

  /** Disks of a tier added up by what they run or lie on: where most of them wait. */
  interface Props {
    title: string;
    wanted: WantedLanes;
    by: GroupKind;
    tierKey: string;
    hasTier: boolean;
  }
  let { title, wanted, by, tierKey, hasTier }: Props = $props();
  const groups = createInfiniteQuery(() => laneGroupsQuery(bearing.asked, wanted, by));
  const rows = $derived(groups.data?.pages.flatMap((one) => one.results) ?? []);
  const first = $derived(groups.data?.pages[0]);
  // Of some of them alone it is no bound of what all do.
  const laneOf = (one: LaneGroup): Drawn => {
    const isWhole = one.n_tiered === one.n_disks;
    return {
      state: 'within', // what waits is told beside it: one of them is not all
      settles_in_minutes: null,
      is_together: false,
      min_iops: isWhole ? one.min_iops : null,
      max_iops: isWhole ? one.max_iops : null,
      limit_iops: isWhole ? one.max_iops : null,
      mean_iops: one.mean_iops,
      instant_iops: one.instant_iops,
      least_iops: null,
      most_iops: null,
    };
  };
  const scale = $derived(laneScale(rows.map(laneOf)));
  const ROW_PX = 38;
  const note = $derived(
    counted(by, first?.n_all ?? 0) +
      (first?.read_at ? ` · mean ${formatAge(first.read_at)} old` : ''),
  );
  const columns: Column<LaneGroup>[] = $derived([
    {
      key: 'name',
      name: kindWord(by),
      width: 'minmax(11rem, 1.4fr)',
      cell: name,
      isText: true,
      isAlways: true,
    },
    { key: 'disks', name: 'disks', width: '52px', cell: disks },
    {
      key: 'lane',
      name: 'operations a second in all',
      width: 'minmax(10rem, 1.6fr)',
      cell: lane,
      head: marks,
      isText: true,
      isAlways: true,
    },
    {
      key: 'states',
      name: 'how they stand',
      width: 'minmax(8rem, 1fr)',
      cell: states,
      isText: true,
    },
    { key: 'latency', name: 'latency', width: '76px', cell: latency },
    { key: 'queue', name: 'in line', width: '76px', cell: queue, isPutAway: true },
    { key: 'qos', name: 'by limits', width: '76px', cell: qos, isPutAway: true },
  ]);
  const milliseconds = (ms: number | null) => (ms === null ? '' : `${ms.toFixed(1)} ms`);
  const shownStates = (one: LaneGroup) => IO_STATES.filter((state) => (one.counts[state] ?? 0) > 0);
</script>

{#snippet name(one: LaneGroup)}
  <span class="flex items-center gap-2">
    <StateGlyph state={one.worst} />
    <a
      class="lead font-semibold hover:underline"
      href={bearing.href(`/compliance?tier=${tierKey}&on=${one.id}`)}
      title="its disks one by one">{one.name}</a
    >
    <a
      class="text-ink-soft underline"
      href={bearing.href(pathOf(one))}
      aria-label="page of {one.name}">→</a
    >
  </span>
{/snippet}
{#snippet disks(one: LaneGroup)}{formatCount(one.n_disks)}{/snippet}
{#snippet lane(one: LaneGroup)}<LaneBar lane={laneOf(one)} {scale} />{/snippet}
{#snippet marks()}<LaneMarks {scale} />{/snippet}
{#snippet states(one: LaneGroup)}
  <span class="line-clamp-2 leading-tight whitespace-normal">
    {#each shownStates(one) as state, at (state)}
      {at > 0 ? ' · ' : ''}<span
        class={state === 'held' || state === 'starved'
          ? `font-semibold ${drawn(state)}`
          : 'text-ink-soft'}>{formatCount(one.counts[state] ?? 0)} {state}</span
      >
    {/each}
  </span>
{/snippet}
{#snippet latency(one: LaneGroup)}{milliseconds(one.latency_ms)}{/snippet}
{#snippet queue(one: LaneGroup)}{milliseconds(one.queue_latency_ms)}{/snippet}
{#snippet qos(one: LaneGroup)}{milliseconds(one.qos_latency_ms)}{/snippet}
{#snippet tools()}<LaneTools {wanted} {by} {hasTier} />{/snippet}

<h1 class="sr-only">{title}</h1>
<ProblemNote of="How disks are served" error={groups.error} onretry={() => groups.refetch()} />
{#if first?.of}<LanesOn of={first.of} />{/if}
{#if first && !first.is_known}
  <p class="py-3 text-ink-soft">How disks will be served on a day to come is not known.</p>
{:else if groups.data}
  <Table
    name="lanes by {by}"
    label={title}
    {note}
    {columns}
    of={{
      rows,
      idOf: (one) => one.id,
      nAll: first?.n_all ?? 0,
      ...pagesOf(groups),
    }}
    rowPx={ROW_PX}
    empty="No {kindWord(by)} of this scope has such a disk."
    isTall
    {tools}
  />
{:else if !groups.error}
  <Pending of="how disks are served" class="py-3" />
{/if}
