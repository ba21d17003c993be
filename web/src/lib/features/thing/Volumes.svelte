<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import type { Schemas } from '$lib/api/client';
  import { exactBytes, formatCount, formatPercent, preferences } from '$lib/format';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { pagesOf, type Column } from '$lib/ui/table/columns';
  import Table from '$lib/ui/table/Table.svelte';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { volumesQuery, type VolumeOrder } from './queries';

  interface Props {
    poolId: number;
    usedBytes: number;
    nAll: number;
  }
  let { poolId, usedBytes, nAll }: Props = $props();
  type Volume = Schemas['VolumeRead'];
  const ORDERS: readonly VolumeOrder[] = ['-written', 'written', '-size', 'size', '-name', 'name'];
  const WIDTH = 1000;
  const PERCENT = 100;
  const asked = $derived(page.url.searchParams.get('volumes'));
  const order = $derived(ORDERS.find((one) => one === asked) ?? '-written');
  const volumes = createInfiniteQuery(() => volumesQuery(poolId, order));
  const rows = $derived(volumes.data?.pages.flatMap((told) => told.results) ?? []);
  const widest = $derived(
    Math.max(...rows.map((volume) => Math.max(volume.size_bytes, volume.written_bytes ?? 0)), 1),
  );
  const bar = (bytes: number | null) => ((bytes ?? 0) / widest) * WIDTH;
  const columns: Column<Volume>[] = $derived([
    {
      key: 'name',
      name: 'name',
      width: 'minmax(90px, 150px)',
      cell: named,
      isText: true,
      isSortable: true,
      isAlways: true,
    },
    {
      key: 'bar',
      name: 'written in the promised size',
      width: 'minmax(0, 1fr)',
      cell: drawn,
      isText: true,
    },
    { key: 'written', name: 'written', width: '80px', cell: written, isSortable: true },
    { key: 'size', name: 'size', width: '80px', cell: sized, isSortable: true },
    { key: 'grown', name: '30 days', width: '80px', cell: grown },
    { key: 'share', name: 'of used', width: '52px', cell: shared },
    { key: 'kept', name: 'kept as', width: '88px', cell: kept, isText: true },
  ]);
</script>

{#snippet named(volume: Volume)}
  <a
    class="hover:underline"
    title={volume.uid}
    href={bearing.href(pathOf({ id: volume.id, kind: 'volume' }))}>{volume.name}</a
  >
{/snippet}
{#snippet drawn(volume: Volume)}
  <svg viewBox="0 0 {WIDTH} 10" preserveAspectRatio="none" class="h-2.5 w-full" aria-hidden="true">
    <rect width={bar(volume.size_bytes)} height="10" class="fill-depth-1" />
    <rect width={bar(volume.written_bytes)} height="10" class="fill-depth-4" />
  </svg>
{/snippet}
{#snippet written(volume: Volume)}
  <span title={exactBytes(volume.written_bytes)}>{preferences.bytes(volume.written_bytes)}</span>
{/snippet}
{#snippet sized(volume: Volume)}
  <span title={exactBytes(volume.size_bytes)}>{preferences.bytes(volume.size_bytes)}</span>
{/snippet}
{#snippet grown(volume: Volume)}
  <span title={exactBytes(volume.grown_30_days_bytes)}
    >{preferences.bytes(volume.grown_30_days_bytes, true)}</span
  >
{/snippet}
{#snippet shared({ written_bytes: bytes }: Volume)}
  {bytes === null || usedBytes === 0
    ? '–'
    : formatPercent(Math.round((bytes / usedBytes) * PERCENT))}
{/snippet}
{#snippet kept(volume: Volume)}
  {volume.provisioning ?? '–'}{#if volume.is_mapped === false}, <b class="text-shoal">unmapped</b
    >{/if}
{/snippet}

{#if volumes.error}
  <ProblemNote of="Volumes" error={volumes.error} onretry={() => volumes.refetch()} />
{:else if volumes.data}
  <Table
    name="volumes"
    label="Volumes"
    note="{formatCount(nAll)} of the pool"
    {columns}
    of={{
      rows,
      idOf: (volume) => volume.id,
      nAll,
      ...pagesOf(volumes),
    }}
    sorting={{
      order,
      onorder: (wanted) => void setQuery('volumes', wanted === '-written' ? '' : wanted),
    }}
    empty="The pool holds no volume: all of it is free to be promised."
  />
{:else}
  <Pending of="volumes" />
{/if}
