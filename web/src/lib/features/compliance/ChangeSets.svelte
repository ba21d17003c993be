<script lang="ts">
  import { createMutation, createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import {
    actOnChanges,
    CHANGE_STATES,
    changeSetsQuery,
    isLive,
    type ChangeAct,
    type ChangeSet,
  } from '$lib/api/changes';
  import { keys } from '$lib/api/queries';
  import { counted, formatCount, formatMoment } from '$lib/format';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { limitsIn, pairOf } from './righting';

  /** What was asked for lately and what came of each; the next step stands with it. */
  interface Props {
    mayPlan: boolean;
    mayCarryOut: boolean;
  }
  let { mayPlan, mayCarryOut }: Props = $props();
  const SHOWN = 5;
  const client = useQueryClient();
  const sets = createQuery(() => changeSetsQuery());
  let isAll = $state(false);
  const shown = $derived((sets.data ?? []).slice(0, isAll ? undefined : SHOWN));
  const acting = createMutation(() => ({
    mutationFn: ({ id, act }: { id: number; act: ChangeAct }) => actOnChanges(id, act),
    onSettled: async () => {
      await readAnew(client, keys.changes);
      await readAnew(client, keys.promises);
    },
  }));
  // What came of it bears on every figure beside it.
  let nLive = $state(0);
  $effect(() => {
    const n = (sets.data ?? []).flatMap((one) => one.changes).filter((c) => isLive(c.state)).length;
    if (n < nLive) void readAnew(client, keys.promises);
    nLive = n;
  });
  const n = (one: ChangeSet, ...states: string[]) =>
    states.reduce((sum, state) => sum + (one.n_by_state[state] ?? 0), 0);
  const told = (one: ChangeSet) =>
    CHANGE_STATES.filter((state) => one.n_by_state[state])
      .map((state) => `${formatCount(one.n_by_state[state] ?? 0)} ${state}`)
      .join(' · ');
  const acts = (one: ChangeSet): { act: ChangeAct; name: string; may: boolean }[] => [
    { act: 'release', name: 'let it go', may: mayCarryOut && n(one, 'planned') > 0 },
    { act: 'drop', name: 'drop it', may: mayPlan && n(one, 'planned', 'queued') > 0 },
    { act: 'retry', name: 'try again', may: mayCarryOut && n(one, 'failed', 'otherwise') > 0 },
    {
      act: 'take back',
      name: 'take it back',
      may: mayCarryOut && n(one, 'set') > 0 && one.taken_back_by_id === null,
    },
  ];
  const isGrave = (one: ChangeSet) => n(one, 'failed', 'otherwise') > 0;
</script>

<h3 class="mt-4 font-semibold">Asked for lately</h3>
<ProblemNote of="Changes" error={sets.error ?? acting.error} onretry={() => sets.refetch()} />
{#if sets.data?.length === 0}
  <p class="text-ink-soft">Nothing was set from here yet.</p>
{/if}
{#each shown as one (one.id)}
  <div class="border-b border-rule py-1" data-changes={one.id}>
    <details>
      <summary class="cursor-pointer">
        <span class="text-ink-soft">{one.id} ·</span>
        {counted('volume', one.changes.length)}:
        <span class={isGrave(one) ? 'text-signal' : ''} role="status">{told(one)}</span>
        <span class="block text-ink-soft">
          {one.takes_back_id ? `takes back ${one.takes_back_id}, ` : ''}{one.actor_name}, {formatMoment(
            one.asked_at,
          )}{one.released_by && one.released_by !== one.actor_name
            ? `, let go by ${one.released_by}`
            : ''}{one.taken_back_by_id ? `, taken back by ${one.taken_back_by_id}` : ''}{one.why &&
          !one.takes_back_id
            ? `: ${one.why}`
            : ''}
        </span>
      </summary>
      <ul class="pt-1 pl-3">
        {#each one.changes as change (change.id)}
          <li class="py-0.5">
            <span class="font-semibold">{change.name}</span>
            {pairOf(...limitsIn(change.was))} → {pairOf(...limitsIn(change.wanted))}
            <span class={change.problem ? 'text-signal' : 'text-ink-soft'}>{change.state}</span>
            {#if change.problem}<span class="block text-ink-soft">{change.problem}</span>{/if}
          </li>
        {/each}
      </ul>
    </details>
    <div class="flex flex-wrap gap-2 pt-1">
      {#each acts(one).filter((told) => told.may) as { act, name } (act)}
        <Button
          size="xs"
          color="alternative"
          disabled={acting.isPending}
          onclick={() => acting.mutate({ id: one.id, act })}>{name}</Button
        >
      {/each}
    </div>
  </div>
{/each}
{#if (sets.data?.length ?? 0) > SHOWN && !isAll}
  <button class="pt-1 underline" onclick={() => (isAll = true)}
    >all {formatCount(sets.data?.length ?? 0)}</button
  >
{/if}
