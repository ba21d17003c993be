<script lang="ts">
  import { createInfiniteQuery, createQuery } from '@tanstack/svelte-query';
  import { Button, Input } from 'flowbite-svelte';
  import { page } from '$app/state';
  import { textOf } from '$lib/ui/events';
  import ChosenTools from '$lib/ui/ChosenTools.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import type { Finding } from '$lib/api/client';
  import { formatCount, formatMoment, kindWord } from '$lib/format';
  import { pagesOf, type Column } from '$lib/ui/table/columns';
  import Table from '$lib/ui/table/Table.svelte';
  import { pathOf } from '$lib/url/things';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import FeedsHead from './FeedsHead.svelte';
  import { groupsOf, nameOf, ORDER, thingsOf } from './findings';
  import { findingCountsQuery, findingsHref, findingsQuery } from './queries';

  const wanted = $derived({
    kind: page.url.searchParams.get('kind') ?? '',
    text: page.url.searchParams.get('text') ?? '',
    scope: bearing.sift,
  });
  const findings = createInfiniteQuery(() => findingsQuery(wanted));
  const counts = createQuery(() => findingCountsQuery({ text: wanted.text, scope: wanted.scope }));
  const read = $derived(findings.data?.pages.flatMap((one) => one.results) ?? []);
  const shown = $derived(groupsOf(read));
  let chosen: Set<number> = $state.raw(new Set());
  const nOf = (kind: string) => counts.data?.find((one) => one.kind === kind)?.n ?? 0;
  const nAll = $derived((counts.data ?? []).reduce((sum, one) => sum + one.n, 0));
  const options = $derived([
    { key: '', name: `all ${formatCount(nAll)}` },
    ...ORDER.filter((kind) => nOf(kind) > 0).map((kind) => ({
      key: kind,
      name: `${nameOf(kind)} ${formatCount(nOf(kind))}`,
    })),
  ]);
  const isNarrowed = $derived(Boolean(wanted.kind || wanted.text || wanted.scope));
  const ROW_PX = 40;
  const columns: Column<Finding>[] = [
    {
      key: 'thing',
      name: 'thing',
      width: 'minmax(150px, 260px)',
      cell: named,
      isText: true,
      isAlways: true,
    },
    { key: 'site', name: 'site', width: '90px', cell: site, isText: true },
    { key: 'what', name: 'what was found', width: 'minmax(200px, 1fr)', cell: what, isText: true },
    { key: 'since', name: 'since', width: '90px', cell: since },
  ];
  const failed = $derived(findings.error ?? counts.error);
</script>

{#snippet named(finding: Finding)}
  <span class="block text-xs text-ink-soft">{kindWord(finding.entity.kind)}</span>
  <a
    class="lead block font-semibold hover:underline"
    title={finding.entity.uid}
    href={bearing.href(
      finding.pool_id === null ? pathOf(finding.entity) : `/pools/${finding.pool_id}`,
    )}>{finding.entity.name}</a
  >
{/snippet}
{#snippet site(finding: Finding)}<span class="text-ink-soft">{finding.site_name ?? '–'}</span
  >{/snippet}
{#snippet what(finding: Finding)}
  <span class="line-clamp-2 leading-4 whitespace-normal" title={finding.detail}
    >{finding.detail}</span
  >
{/snippet}
{#snippet since(finding: Finding)}<span class="text-ink-soft">{formatMoment(finding.found_at)}</span
  >{/snippet}
{#snippet tools()}
  <ChosenTools things={thingsOf(read, chosen)} onnone={() => (chosen = new Set())} />
{/snippet}
<svelte:head><title>Findings · Keel Mark</title></svelte:head>
<section data-place="findings" class="flex h-full flex-col px-4 pt-2">
  <FeedsHead here="findings">
    <Input
      size="sm"
      class="w-48 bg-paper py-1 text-sm"
      placeholder="text in names and words"
      value={wanted.text}
      oninput={(event) => void setQuery('text', textOf(event))}
      aria-label="text filter"
    />
    <Button
      size="xs"
      color="alternative"
      class="whitespace-nowrap"
      href={findingsHref(wanted)}
      download="findings.csv">export CSV</Button
    >
  </FeedsHead>
  {#if failed}
    <ProblemNote of="Findings" error={failed} onretry={() => findings.refetch()} />
  {/if}
  {#if nAll > 0}
    <Choice
      label="kind of finding"
      {options}
      value={wanted.kind}
      onpick={(key) => void setQuery('kind', key)}
      class="flex flex-wrap gap-4 pb-2"
    />
  {/if}
  {#if findings.data}
    <Table
      name="findings"
      label="Findings"
      note="{formatCount(wanted.kind ? nOf(wanted.kind) : nAll)} open"
      {columns}
      of={{
        rows: shown.flatMap((group) => group.findings),
        groups: shown.map((group) => ({
          key: group.kind,
          title: group.name,
          isGrave: group.isGrave,
          note: `${formatCount(Math.max(nOf(group.kind), group.findings.length))} · ${group.why}`,
          rows: group.findings,
        })),
        idOf: (finding) => finding.id,
        nAll: wanted.kind ? nOf(wanted.kind) : nAll,
        ...pagesOf(findings),
      }}
      choice={{ chosen, onchoose: (told) => (chosen = told) }}
      {tools}
      rowPx={ROW_PX}
      empty={isNarrowed
        ? 'Nothing here in this scope, of this kind and text.'
        : 'Nothing is loose: every volume, device and mapping leads to something that a feed tells of, and no two sources contradict each other.'}
      isTall
    />
  {/if}
</section>
