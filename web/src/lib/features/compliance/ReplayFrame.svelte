<script lang="ts">
  import type { Snippet } from 'svelte';
  import { counted } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { WINDOWS, type Replay } from './tiers';

  /** A replay with its window, its limits to try, and what came of it once it is there. */
  interface Props {
    of: string;
    days: number;
    query: {
      data: Replay | undefined;
      error: Error | null;
      isPlaceholderData: boolean;
      isFetching: boolean;
      refetch: () => unknown;
    };
    limits?: Snippet;
    result: Snippet<[Replay]>;
  }
  let { of, days = $bindable(), query, limits, result }: Props = $props();
</script>

<div class="mt-4 flex items-baseline gap-2">
  <h2 class="water">Replay</h2>
  <p class="text-ink-soft">{of}, last {counted('day', days)}</p>
</div>
<Choice
  label="Days that are replayed"
  options={WINDOWS.map((one) => ({ key: one, name: `${one} d` }))}
  value={String(days)}
  onpick={(one) => (days = Number(one))}
/>
{@render limits?.()}
<ProblemNote of="Replay" error={query.error} onretry={() => query.refetch()} />
{#if query.data}
  <div aria-busy={query.isPlaceholderData}>
    {#if query.data.n_read === 0}
      <p class="mt-2 text-ink-soft">
        Nothing is recorded of these disks in {counted('day', query.data.n_days)}; there is nothing
        to replay.
      </p>
    {:else}
      {@render result(query.data)}
    {/if}
  </div>
{:else if query.isFetching}
  <Pending of="the replay" class="mt-2" />
{/if}
