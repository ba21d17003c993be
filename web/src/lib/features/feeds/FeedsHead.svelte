<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Snippet } from 'svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { formatCount } from '$lib/format';
  import { findingCountsQuery } from './queries';

  /** The three sides of feeds: who tells, what was found, tables that people send. */
  interface Props {
    here: 'sources' | 'findings' | 'table';
    children?: Snippet;
  }
  let { here, children }: Props = $props();
  const counts = createQuery(() => findingCountsQuery({ scope: bearing.sift }));
  const n = $derived((counts.data ?? []).reduce((sum, one) => sum + one.n, 0));
  const SIDES = [
    { key: 'sources', name: 'Who tells', path: '/feeds' },
    { key: 'findings', name: 'What was found', path: '/feeds/findings' },
    { key: 'table', name: 'Send a table', path: '/feeds/table' },
  ];
</script>

<div class="flex flex-wrap items-baseline gap-x-5 gap-y-1 pb-2">
  <h1 class="water">Feeds</h1>
  <nav class="flex gap-4" aria-label="Sides of feeds">
    {#each SIDES as side (side.key)}
      <a
        href={bearing.href(side.path)}
        aria-current={side.key === here ? 'page' : undefined}
        class="border-b-2 {side.key === here
          ? 'border-ink font-semibold'
          : 'border-transparent text-ink-soft hover:text-ink'}"
        >{side.name}{side.key === 'findings' && n > 0 ? ` (${formatCount(n)})` : ''}</a
      >
    {/each}
  </nav>
  <span class="ml-auto flex items-center gap-3">{@render children?.()}</span>
</div>
