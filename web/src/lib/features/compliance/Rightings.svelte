<script lang="ts">
  import { createMutation, createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { readAnew } from '$lib/api/anew';
  import { keys } from '$lib/api/queries';
  import { formatAge } from '$lib/format';
  import Pick from '$lib/ui/Pick.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { everyWords, INTERVALS, rightingsQuery, setRighting } from './righting';

  /** Arrays whose volumes can be set from here, and how often they are set right by themselves. */
  interface Props {
    mayCarryOut: boolean;
  }
  let { mayCarryOut }: Props = $props();
  const client = useQueryClient();
  const rightings = createQuery(() => rightingsQuery());
  const setting = createMutation(() => ({
    mutationFn: ({ id, every }: { id: number; every: number | null }) => setRighting(id, every),
    onSettled: () => readAnew(client, keys.promises),
  }));
  const items = [
    { value: '', name: 'off' },
    ...INTERVALS.map((value) => ({ value, name: everyWords(Number(value)) })),
  ];
</script>

<h3 class="mt-4 font-semibold">Set right by itself</h3>
<ProblemNote
  of="Intervals"
  error={rightings.error ?? setting.error}
  onretry={() => rightings.refetch()}
/>
{#if rightings.data?.length === 0}
  <p class="text-ink-soft">
    No array can be set from here: none of their feeds has an account that may set limits.
  </p>
{/if}
{#each rightings.data ?? [] as one (one.array_id)}
  <div class="flex items-center justify-between gap-2 border-b border-rule py-1">
    <span>
      <span class="font-semibold whitespace-nowrap">{one.array_name}</span>
      {#if one.last_at}
        <span class="block text-ink-soft">{formatAge(one.last_at)} ago: {one.last_told}</span>
      {:else if one.author}
        <span class="block text-ink-soft">by {one.author}</span>
      {/if}
    </span>
    {#if mayCarryOut}
      <Pick
        class="w-32 shrink-0"
        label="How often {one.array_name} is set right"
        {items}
        value={one.every_seconds === null ? '' : String(one.every_seconds)}
        onpick={(told) => setting.mutate({ id: one.array_id, every: told ? Number(told) : null })}
      />
    {:else}
      <span class="text-ink-soft">{everyWords(one.every_seconds)}</span>
    {/if}
  </div>
{/each}
