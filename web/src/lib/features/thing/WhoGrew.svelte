<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import {
    counted,
    daysUntil,
    exactBytes,
    formatDay,
    formatPercent,
    fullName,
    kindWord,
    preferences,
    todayIso,
  } from '$lib/format';
  import ShareBar from '$lib/ui/ShareBar.svelte';
  import { inOrder, type Column } from '$lib/ui/table/columns';
  import Table from '$lib/ui/table/Table.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';

  /** The parts that made the growth of a window, the most at the top; each leads to its own page. */
  interface Props {
    grown: Schemas['ContributorsRead'];
  }
  type Part = Schemas['PartGrowthRead'];
  let { grown }: Props = $props();
  const PERCENT = 100;
  let order = $state('');
  const days = $derived(daysUntil(grown.last_on, grown.first_on));
  const changed = $derived(grown.parts.filter((part) => part.added_bytes !== 0));
  const rows = $derived(
    inOrder(changed, order, {
      name: fullName,
      added: (part) => part.added_bytes,
      share: (part) => part.share,
    }),
  );
  const widest = $derived(Math.max(...changed.map((part) => Math.abs(part.added_bytes)), 1));
  const kind = $derived(grown.part_kind ?? '');
  const note = $derived(
    [
      `${preferences.bytes(grown.total_bytes, true)} in ${days} d since ${formatDay(grown.first_on)}` +
        (grown.last_on < todayIso() ? ` up to ${formatDay(grown.last_on)}` : ''),
      grown.new_bytes > 0 ? `${preferences.bytes(grown.new_bytes)} of it new` : '',
      grown.gone_bytes > 0 ? `${preferences.bytes(grown.gone_bytes)} left` : '',
      grown.n_parts > grown.parts.length
        ? `the ${grown.parts.length} of ${counted(kind, grown.n_parts)} that changed most`
        : '',
    ]
      .filter(Boolean)
      .join(' · '),
  );
  const empty = $derived(
    grown.n_parts === 0
      ? `It holds no ${kindWord(kind)}.`
      : `None of its ${counted(kind, grown.n_parts)} changed in this window.`,
  );
  const columns: Column<Part>[] = $derived([
    {
      key: 'name',
      name: kindWord(kind),
      width: 'minmax(9rem, 2fr)',
      cell: name,
      isText: true,
      isSortable: true,
      isAlways: true,
    },
    { key: 'bar', name: 'beside the most', width: 'minmax(4rem, 3fr)', cell: bar },
    { key: 'added', name: 'grown', width: '92px', cell: added, isSortable: true },
    { key: 'share', name: 'of all', width: '56px', cell: share, isSortable: true },
    { key: 'came', name: 'came, left', width: '64px', cell: came, isText: true },
  ]);
</script>

{#snippet name(part: Part)}
  <a class="hover:underline" href={bearing.href(pathOf(part.entity))}>{fullName(part)}</a>
{/snippet}
{#snippet bar(part: Part)}
  <ShareBar
    amount={Math.abs(part.added_bytes)}
    most={widest}
    look={part.added_bytes > 0 ? 'fill-depth-4' : 'fill-depth-2'}
  />
{/snippet}
{#snippet added(part: Part)}
  <span title={exactBytes(part.added_bytes)}>{preferences.bytes(part.added_bytes, true)}</span>
{/snippet}
{#snippet share(part: Part)}
  {part.share === null ? '–' : formatPercent(Math.round(part.share * PERCENT))}
{/snippet}
{#snippet came(part: Part)}
  <span class="text-ink-soft">{part.is_new ? 'arrived' : part.is_gone ? 'left' : ''}</span>
{/snippet}

{#if grown.part_kind}
  <Table
    name="grew"
    label="Who made it grow"
    {note}
    {columns}
    of={{ rows, idOf: (part) => part.entity.id, nAll: rows.length }}
    sorting={{ order, onorder: (told) => (order = told) }}
    {empty}
  />
{/if}
