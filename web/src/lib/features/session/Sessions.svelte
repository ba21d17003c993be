<script lang="ts">
  import {
    createMutation,
    createQuery,
    queryOptions,
    useQueryClient,
  } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import { api, bodyOf } from '$lib/api/client';
  import { keys } from '$lib/api/queries';
  import { formatMoment } from '$lib/format';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';

  const client = useQueryClient();
  const sessions = createQuery(() =>
    queryOptions({
      queryKey: keys.sessions,
      queryFn: () => bodyOf(api.GET('/api/v1/sessions')),
    }),
  );
  const end = createMutation(() => ({
    mutationFn: (key: string) =>
      bodyOf(api.DELETE('/api/v1/sessions/{key}', { params: { path: { key } } })),
    onSuccess: () => readAnew(client, keys.sessions),
  }));
  const browserOf = (agent: string) => /(Firefox|Edg|Chrome|Safari)\/\d+/.exec(agent)?.[0] ?? agent;
</script>

{#if sessions.isError}
  <ProblemNote of="Sessions" error={sessions.error} onretry={() => sessions.refetch()} />
{/if}
{#if end.error}<p class="text-signal" role="alert">{end.error.message}</p>{/if}
{#each sessions.data ?? [] as one (one.id)}
  <div class="row-session border-t border-rule py-1.5">
    <span class="lead">{browserOf(one.agent) || 'a browser'}</span>
    <span class="figures text-ink-soft">{one.address || '–'}</span>
    <span class="text-ink-soft">since {formatMoment(one.began_at)}</span>
    <span class="text-ink-soft">heard {formatMoment(one.seen_at)}</span>
    {#if one.is_this}
      <span class="text-right font-semibold">this one</span>
    {:else}
      <Button
        size="xs"
        color="alternative"
        disabled={end.isPending}
        onclick={() => end.mutate(one.id)}>end it</Button
      >
    {/if}
  </div>
{/each}
