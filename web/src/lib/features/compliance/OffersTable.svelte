<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import { counted, formatCount, kindWord } from '$lib/format';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import type { Column } from '$lib/ui/table/columns';
  import Table from '$lib/ui/table/Table.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { offersQuery, type Offer, type Offering } from './tiers';

  /** What places must offer for the disks on them, to what they are set, and where that differs. */
  interface Props {
    kind: Offering;
  }
  let { kind }: Props = $props();
  const offers = createInfiniteQuery(() => offersQuery(bearing.asked, kind));
  const rows = $derived(offers.data?.pages.flatMap((one) => one.results) ?? []);
  const first = $derived(offers.data?.pages[0]);
  const isSet = $derived(kind === 'volume' || kind === 'datastore');
  const columns: Column<Offer>[] = $derived([
    {
      key: 'name',
      name: kindWord(kind),
      width: 'minmax(9rem, 1fr)',
      cell: name,
      isText: true,
      isAlways: true,
    },
    { key: 'disks', name: 'disks', width: '60px', cell: disks },
    { key: 'least', name: 'must offer, least', width: '120px', cell: least },
    { key: 'most', name: 'most', width: '90px', cell: most },
    ...(isSet
      ? [
          { key: 'set_least', name: 'set to, least', width: '100px', cell: setLeast },
          { key: 'set_most', name: 'most', width: '90px', cell: setMost },
        ]
      : []),
    ...(kind === 'array'
      ? [{ key: 'sustains', name: 'sustains', width: '100px', cell: sustains }]
      : []),
    { key: 'gap', name: 'what differs', width: 'minmax(12rem, 1.4fr)', cell: gap, isText: true },
  ]);
  const figure = (iops: number | null) => (iops === null ? '–' : formatCount(Math.round(iops)));
  const told = (one: Offer) => {
    if (one.is_oversold)
      return `oversold: ${figure(one.must_min_iops)} promised, ${figure(one.sustains_iops)} sustained`;
    if (!one.is_drifted)
      return isSet && one.set_max_iops === null ? 'not set, or nobody tells' : '';
    const most = (one.set_max_iops ?? one.must_max_iops) - one.must_max_iops;
    if (most < 0)
      return `set to ${figure(one.set_max_iops)}, its disks ask for ${figure(one.must_max_iops)}`;
    if (most > 0) return `lets through ${figure(most)} more than is promised`;
    return 'its minimum is not what its disks are promised';
  };
</script>

{#snippet name(one: Offer)}
  <a class="lead font-semibold hover:underline" href={bearing.href(pathOf(one))}>{one.name}</a>
{/snippet}
{#snippet disks(one: Offer)}{formatCount(one.n_disks)}{/snippet}
{#snippet least(one: Offer)}{figure(one.must_min_iops)}{/snippet}
{#snippet most(one: Offer)}{figure(one.must_max_iops)}{/snippet}
{#snippet setLeast(one: Offer)}{figure(one.set_min_iops)}{/snippet}
{#snippet setMost(one: Offer)}{figure(one.set_max_iops)}{/snippet}
{#snippet sustains(one: Offer)}{figure(one.sustains_iops)}{/snippet}
{#snippet gap(one: Offer)}
  <span
    class={['lead block', (one.is_drifted || one.is_oversold) && 'text-signal']}
    title={told(one)}>{told(one)}</span
  >
{/snippet}

<p class="text-ink-soft">
  Sums of the tiers of the disks that lie on each, of VMs that are not off; a tier that is shared
  counts once.
</p>
<ProblemNote of="What must be offered" error={offers.error} onretry={() => offers.refetch()} />
{#if first}
  <Table
    name="offers {kind}"
    label="What must be offered"
    note={[
      counted(kind, first.n_all),
      first.n_drifted ? `${first.n_drifted} drifted` : '',
      first.n_oversold ? `${first.n_oversold} oversold` : '',
    ]
      .filter(Boolean)
      .join(' · ')}
    {columns}
    of={{
      rows,
      idOf: (one) => one.id,
      nAll: first.n_all,
      isBusy: offers.isPlaceholderData,
      onmore:
        offers.hasNextPage && !offers.isFetchingNextPage
          ? () => void offers.fetchNextPage()
          : undefined,
    }}
    empty="No {kindWord(kind)} of this scope carries a disk with a tier."
    isTall
  />
{:else if !offers.error}
  <Pending of="what must be offered" class="py-3" />
{/if}
