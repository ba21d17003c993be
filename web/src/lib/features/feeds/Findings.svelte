<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { Button, Input } from 'flowbite-svelte';
  import { page } from '$app/state';
  import { textOf } from '$lib/ui/events';
  import Choice from '$lib/ui/Choice.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { setQuery } from '$lib/url/bearing.svelte';
  import FeedsHead from './FeedsHead.svelte';
  import FindingGroup from './FindingGroup.svelte';
  import { csvOf, groupsOf, matching } from './findings';
  import { findingsQuery } from './queries';

  const findings = createQuery(findingsQuery);
  const kind = $derived(page.url.searchParams.get('kind') ?? '');
  const text = $derived(page.url.searchParams.get('text') ?? '');
  const all = $derived(groupsOf(findings.data?.results ?? []));
  const shown = $derived(groupsOf(matching(findings.data?.results ?? [], { kind, text })));
  const options = $derived([
    { key: '', name: `all ${findings.data?.results.length ?? 0}` },
    ...all.map((group) => ({ key: group.kind, name: `${group.name} ${group.findings.length}` })),
  ]);
  const href = $derived(
    `data:text/csv;charset=utf-8,${encodeURIComponent(csvOf(shown.flatMap((g) => g.findings)))}`,
  );
</script>

<svelte:head><title>Findings · Keel Mark</title></svelte:head>
<section class="h-full overflow-y-auto px-4 pt-2 pb-6">
  <FeedsHead here="findings">
    <Input
      size="sm"
      class="w-48 bg-paper py-1 text-sm"
      placeholder="text in names and words"
      value={text}
      oninput={(event) => void setQuery('text', textOf(event))}
      aria-label="text filter"
    />
    <Button size="xs" color="alternative" class="whitespace-nowrap" {href} download="findings.csv"
      >export CSV</Button
    >
  </FeedsHead>
  {#if findings.isError}
    <ProblemNote of="Findings" error={findings.error} onretry={() => findings.refetch()} />
  {/if}
  {#if all.length > 0}
    <Choice
      label="kind of finding"
      {options}
      value={kind}
      onpick={(key) => void setQuery('kind', key)}
      class="flex flex-wrap gap-4 pb-2"
    />
  {/if}
  {#each shown as group (group.kind)}
    <FindingGroup {group} />
  {:else}
    {#if findings.data}
      <p class="max-w-prose py-4 text-ink-soft">
        {findings.data.results.length > 0
          ? 'Nothing here for this kind and text.'
          : 'Nothing is loose: every volume, device and mapping leads to something that a feed tells of, and no two sources contradict each other.'}
      </p>
    {/if}
  {/each}
</section>
