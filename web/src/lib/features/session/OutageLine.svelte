<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onDestroy } from 'svelte';

  /** One line while questions wait for a server or database that is away. */
  const client = useQueryClient();
  let told: string | null = $state(null);

  const stop = client.getQueryCache().subscribe(() => {
    const waiting = client
      .getQueryCache()
      .getAll()
      .find((query) => query.state.fetchFailureCount > 0 && query.state.fetchStatus === 'fetching');
    told = waiting?.state.fetchFailureReason?.message ?? null;
  });
  onDestroy(stop);
</script>

{#if told}
  <p class="border-b border-signal bg-shoal-ground px-4 py-1" role="status">{told}</p>
{/if}
