<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import { formatAge, formatCount } from '$lib/format';
  import ChosenTools from '$lib/ui/ChosenTools.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { drawn } from '$lib/ui/states';
  import { pagesOf, type Column } from '$lib/ui/table/columns';
  import Table from '$lib/ui/table/Table.svelte';
  import { bearing, writeQuery } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { exported } from './queries';
  import LaneBar from './LaneBar.svelte';
  import LaneMarks from './LaneMarks.svelte';
  import LanesOn from './LanesOn.svelte';
  import LaneTools from './LaneTools.svelte';
  import { laneScale } from './lane-scale';
  import TierPick from './TierPick.svelte';
  import { lanesQuery, type Lane, type Tier, type WantedLanes } from './tiers';

  /** Disks of a tier: what each does, beside what it may do; the worst first. */
  interface Props {
    tier: Tier | null;
    title: string;
    wanted: WantedLanes;
    tiers: Tier[];
    mayPlan: boolean;
  }
  let { tier, title, wanted, tiers, mayPlan }: Props = $props();
  let chosen = $state.raw(new Set<number>());
  const lanes = createInfiniteQuery(() => lanesQuery(bearing.asked, wanted));
  const rows = $derived(lanes.data?.pages.flatMap((one) => one.results) ?? []);
  const first = $derived(lanes.data?.pages[0]);
  const scale = $derived(laneScale(rows));
  const ROW_PX = 38;
  // Dot: the newest mean of five minutes; ring: this instant; line: means of the last day.
  const note = $derived(
    `${formatCount(first?.n_all ?? 0)} ${first?.n_all === 1 ? 'disk' : 'disks'}` +
      (first?.read_at ? ` · mean ${formatAge(first.read_at)} old` : ''),
  );
  const columns: Column<Lane>[] = $derived([
    {
      key: 'name',
      name: 'disk',
      width: 'minmax(7.5rem, 1fr)',
      cell: name,
      isText: true,
      isAlways: true,
    },
    {
      key: 'lane',
      name: 'operations a second',
      width: 'minmax(13rem, 2fr)',
      cell: lane,
      head: marks,
      isText: true,
      isAlways: true,
    },
    {
      key: 'reason',
      name: 'how it is served',
      width: 'minmax(11rem, 1.3fr)',
      cell: reason,
      isText: true,
    },
    { key: 'tier', name: 'tier', width: '80px', cell: tierName, isText: true, isPutAway: true },
    { key: 'vm', name: 'VM', width: '130px', cell: vm, isText: true, isPutAway: true },
    { key: 'store', name: 'datastore', width: '150px', cell: store, isText: true, isPutAway: true },
    { key: 'line', name: 'in line', width: '70px', cell: inLine, isPutAway: true },
  ]);
  const exportHref = $derived(
    exported('/api/v1/compliance/lanes/export', {
      tier: wanted.tier,
      state: wanted.state,
      found: wanted.found,
      of: wanted.on,
    }),
  );
  const saysOf = (one: Lane) => {
    if (wanted.found) return one.found;
    return one.settles_in_minutes === null
      ? one.reason
      : `judged in ${Math.ceil(one.settles_in_minutes)} min`;
  };
  const stateOf = (one: Lane) => (one.settles_in_minutes === null ? one.state : 'settling');
</script>

{#snippet name(one: Lane)}
  <span class="flex items-center gap-2">
    <StateGlyph state={stateOf(one)} />
    <a
      class="lead font-semibold hover:underline"
      href={bearing.href(pathOf({ ...one, kind: 'disk' }))}>{one.name}</a
    >
  </span>
{/snippet}
{#snippet lane(one: Lane)}<LaneBar lane={one} {scale} />{/snippet}
{#snippet marks()}<LaneMarks {scale} />{/snippet}
{#snippet reason(one: Lane)}
  <span class="line-clamp-2 leading-tight whitespace-normal" title={saysOf(one)}>
    <span class="font-semibold {drawn(stateOf(one))}">{stateOf(one)}</span>
    <span class="text-ink-soft">{saysOf(one)}</span>
  </span>
{/snippet}
{#snippet tierName(one: Lane)}{one.tier_name ?? 'none'}{/snippet}
{#snippet vm(one: Lane)}
  {#if one.vm}<a class="lead hover:underline" href={bearing.href(pathOf(one.vm))}>{one.vm.name}</a
    >{/if}
{/snippet}
{#snippet store(one: Lane)}
  {#if one.datastore}<a class="lead hover:underline" href={bearing.href(pathOf(one.datastore))}
      >{one.datastore.name}</a
    >{/if}
{/snippet}
{#snippet inLine(one: Lane)}{one.in_line === null ? '' : one.in_line.toFixed(1)}{/snippet}
{#snippet tools()}
  <a class="min-h-6 text-xs underline" href={exportHref} download>CSV</a>
  <LaneTools {wanted} by={null} hasTier={tier !== null} />
  {#if mayPlan && chosen.size > 0}
    <TierPick ids={[...chosen]} {tiers} ondone={() => (chosen = new Set())} />
  {/if}
  <ChosenTools
    things={rows
      .filter((one) => chosen.has(one.id))
      .map((one) => ({ id: one.id, kind: 'disk', name: one.name }))}
    onnone={() => (chosen = new Set())}
  />
{/snippet}

<h1 class="sr-only">{title}</h1>
{#if first?.of}<LanesOn of={first.of} />{/if}
<ProblemNote of="How disks are served" error={lanes.error} onretry={() => lanes.refetch()} />
{#if first && !first.is_known}
  <p class="py-3 text-ink-soft">
    How disks will be served on a day to come is not known. Replay tells what other limits would
    have done.
  </p>
{:else if lanes.data}
  <Table
    name="lanes"
    label={title}
    {note}
    {columns}
    of={{
      rows,
      idOf: (one) => one.id,
      nAll: first?.n_all ?? 0,
      ...pagesOf(lanes),
    }}
    choice={{
      chosen,
      onchoose: (told) => (chosen = told),
      onpreview: (id) => void writeQuery({ course: String(id) }),
    }}
    rowPx={ROW_PX}
    empty={wanted.found
      ? 'No disk of this scope is found so.'
      : wanted.state
        ? `No disk of this scope is ${wanted.state}.`
        : 'No disk of this scope is in it.'}
    isTall
    {tools}
  />
{:else if !lanes.error}
  <Pending of="how disks are served" class="py-3" />
{/if}
