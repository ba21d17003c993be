<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { isAskedWrong } from '$lib/api/refusal';
  import { formatMoment } from '$lib/format';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import Sentence from '$lib/ui/Sentence.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import ElseEnds from './ElseEnds.svelte';
  import OurRecord from './OurRecord.svelte';
  import PromisesNow from './PromisesNow.svelte';
  import { changesQuery } from './queries';

  const changes = createQuery(() => changesQuery(bearing.sift));
  const TITLES = {
    feed: 'Feeds',
    date: 'Dates that moved in a week',
    shift: 'Shifts, each in one step',
    inventory: 'Came and went',
  } as const;
  const groups = $derived(
    (['feed', 'date', 'shift', 'inventory'] as const)
      .map((kind) => ({
        kind,
        lines: (changes.data ?? []).filter((change) => change.kind === kind),
      }))
      .filter((group) => group.lines.length > 0),
  );
</script>

<aside
  class="min-h-0 overflow-y-auto border-l border-rule bg-paper-raised px-4 pt-2 pb-6"
  aria-label="What changed"
  data-place="lately"
>
  <ElseEnds />
  <h2 class="water">
    What changed <span class="font-sans text-sm text-ink-soft not-italic"
      >in 30 days{bearing.sift ? ', in this scope' : ''}</span
    >
  </h2>
  {#if changes.isError && !isAskedWrong(changes.error)}
    <ProblemNote of="Changes" error={changes.error} onretry={() => changes.refetch()} />
  {/if}
  <PromisesNow />
  {#each groups as group (group.kind)}
    <h3 class="mt-3 border-b border-rule pb-0.5 text-xs text-ink-soft">{TITLES[group.kind]}</h3>
    {#each group.lines as line, index (index)}
      <a
        class="flex gap-2.5 border-b border-rule py-1.5 hover:bg-paper"
        href={bearing.href(line.pool_id === null ? '/feeds' : `/pools/${line.pool_id}`)}
      >
        <StateGlyph state={line.state} class="mt-0.5" />
        <span class="min-w-0 flex-1">
          <span class="block font-semibold"><Sentence parts={line.headline} /></span>
          <span class="block text-xs wrap-anywhere text-ink-soft">{line.note}</span>
        </span>
        <span class="figures text-xs whitespace-nowrap text-ink-soft">{formatMoment(line.at)}</span>
      </a>
    {/each}
  {:else}
    {#if changes.data}<p class="pt-3 text-ink-soft">
        {bearing.sift ? 'Nothing changed in this scope.' : 'Nothing changed in 30 days.'}
      </p>{/if}
  {/each}
  <OurRecord />
</aside>
