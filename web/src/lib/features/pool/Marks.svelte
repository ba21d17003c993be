<script lang="ts">
  import { createMutation, createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { keys } from '$lib/api/queries';
  import { Refusal } from '$lib/api/refusal';
  import Field from '$lib/ui/Field.svelte';
  import { marksQuery, setMarks } from './queries';

  /** Where the marks come from, and a pool's own in their place. */
  interface Props {
    poolId: number;
    mayPlan: boolean;
  }
  let { poolId, mayPlan }: Props = $props();
  const client = useQueryClient();
  const marks = createQuery(() => marksQuery(poolId));
  const NAMES: Record<string, string> = {
    caution_percent: 'caution, %',
    limit_percent: 'limit, %',
    lead_time_days: 'lead time, d',
  };
  // What was typed and not kept yet, by mark; empty takes the next farther one's.
  let typed: Record<string, string | number> = $state({});
  const keep = createMutation(() => ({
    mutationFn: () =>
      setMarks(
        poolId,
        Object.fromEntries(
          Object.entries(typed).map(([name, told]) => [name, told === '' ? null : Number(told)]),
        ),
      ),
    onSuccess: async () => {
      typed = {};
      await client.invalidateQueries({ queryKey: keys.pools });
    },
  }));
  const refusal = $derived(keep.error instanceof Refusal ? keep.error : null);
</script>

<details class="mt-4">
  <summary class="font-semibold">Marks</summary>
  {#each marks.data ?? [] as mark (mark.name)}
    <div class="mt-1 flex justify-between gap-3 text-ink-soft">
      <span>{NAMES[mark.name]}</span>
      <span class="figures">{mark.holds}, {mark.whose}</span>
    </div>
  {/each}
  {#if mayPlan && marks.data}
    <form
      class="mt-2"
      onsubmit={(event) => {
        event.preventDefault();
        keep.mutate();
      }}
    >
      <div class="grid grid-cols-3 gap-2">
        {#each marks.data as mark (mark.name)}
          <Field
            label={NAMES[mark.name] ?? mark.name}
            type="number"
            min="1"
            placeholder={`${mark.holds}`}
            bind:value={
              () => typed[mark.name] ?? mark.own ?? '', (told) => (typed[mark.name] = told ?? '')
            }
            fault={refusal?.of(mark.name)}
          />
        {/each}
      </div>
      <p class="mt-1 text-ink-soft">Empty takes the class's, the site's or the default.</p>
      {#if keep.error}<p class="text-signal" role="alert">{keep.error.message}</p>{/if}
      {#if keep.isSuccess}<p role="status">Kept; dates are being made anew.</p>{/if}
      <Button
        size="xs"
        type="submit"
        class="mt-2"
        disabled={keep.isPending || Object.keys(typed).length === 0}>keep the marks</Button
      >
    </form>
  {/if}
</details>
