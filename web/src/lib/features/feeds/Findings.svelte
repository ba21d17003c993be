<script lang="ts">
  import { createInfiniteQuery, createQuery } from '@tanstack/svelte-query';
  import { Button, Input } from 'flowbite-svelte';
  import { page } from '$app/state';
  import { textOf } from '$lib/ui/events';
  import Choice from '$lib/ui/Choice.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { formatCount } from '$lib/format';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import FeedsHead from './FeedsHead.svelte';
  import FindingGroup from './FindingGroup.svelte';
  import { groupsOf, nameOf, ORDER } from './findings';
  import { findingCountsQuery, findingsHref, findingsQuery } from './queries';

  const wanted = $derived({
    kind: page.url.searchParams.get('kind') ?? '',
    text: page.url.searchParams.get('text') ?? '',
    scope: bearing.sift,
  });
  const findings = createInfiniteQuery(() => findingsQuery(wanted));
  const counts = createQuery(() => findingCountsQuery({ text: wanted.text, scope: wanted.scope }));
  const shown = $derived(groupsOf(findings.data?.pages.flatMap((one) => one.results) ?? []));
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
  const failed = $derived(findings.error ?? counts.error);
</script>

<svelte:head><title>Findings · Keel Mark</title></svelte:head>
<section data-place="findings" class="h-full overflow-y-auto px-4 pt-2 pb-6">
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
  {#each shown as group (group.kind)}
    <FindingGroup {group} n={Math.max(nOf(group.kind), group.findings.length)} />
  {:else}
    {#if findings.data}
      <p class="max-w-prose py-4 text-ink-soft">
        {isNarrowed
          ? 'Nothing here in this scope, of this kind and text.'
          : 'Nothing is loose: every volume, device and mapping leads to something that a feed tells of, and no two sources contradict each other.'}
      </p>
    {/if}
  {/each}
  {#if findings.hasNextPage}
    <Button
      size="xs"
      color="alternative"
      disabled={findings.isFetchingNextPage}
      onclick={() => findings.fetchNextPage()}>show more</Button
    >
  {/if}
</section>
