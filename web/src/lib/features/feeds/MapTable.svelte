<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button, Checkbox, Input } from 'flowbite-svelte';
  import type { Sheet } from '$lib/api/client';
  import { keys } from '$lib/api/queries';
  import { setQuery } from '$lib/url/bearing.svelte';
  import Pick from '$lib/ui/Pick.svelte';
  import ColumnHead from './ColumnHead.svelte';
  import ImportRun from './ImportRun.svelte';
  import { checkSheet, importSheet, saveMapping, type TableMapping } from './queries';
  import { fieldOf, missingIn } from './sheet';

  interface Props {
    sheet: Sheet;
  }
  let { sheet }: Props = $props();
  const client = useQueryClient();
  // Made anew for each table and kind: it begins with the guess and is the person's from then on.
  // svelte-ignore state_referenced_locally
  let mapping: TableMapping = $state.raw(sheet.mapping as TableMapping);
  let skipsBad = $state(false);
  // svelte-ignore state_referenced_locally
  let name = $state(sheet.mapping_name ?? '');
  const missing = $derived(missingIn(mapping, sheet.fields_of_kind));
  const check = createMutation(() => ({ mutationFn: () => checkSheet(sheet.key, mapping) }));
  const save = createMutation(() => ({
    mutationFn: () => saveMapping(name, sheet.header, mapping),
    onSuccess: () => client.invalidateQueries({ queryKey: keys.mappings }),
  }));
  const bring = createMutation(() => ({
    mutationFn: () => importSheet(sheet.key, mapping, skipsBad),
    onSuccess: () => client.invalidateQueries({ queryKey: keys.runs }),
  }));
  const change = (wanted: TableMapping) => {
    mapping = wanted;
    check.reset();
  };
  const look = 'bg-paper py-1 text-sm text-ink';
</script>

<div class="flex flex-wrap items-center gap-x-4 gap-y-2 pb-2">
  <h2 class="font-semibold">{sheet.name}</h2>
  <span class="flex items-center gap-2"
    >each row is
    <Pick
      class="w-44"
      label="what a row is"
      items={sheet.kinds.map((kind) => ({
        value: kind,
        name: kind === 'readings' ? 'a reading of a day' : `a ${kind}`,
      }))}
      value={mapping.kind}
      onpick={(kind) => void setQuery('as', kind)}
    />
    {#if mapping.kind === 'readings'}
      of
      <Pick
        class="w-36"
        label="readings of"
        items={[
          { value: '', name: 'anything' },
          ...sheet.kinds.filter((k) => k !== 'readings').map((k) => ({ value: k, name: `a ${k}` })),
        ]}
        value={mapping.of_kind ?? ''}
        onpick={(kind) => change({ ...mapping, of_kind: kind as TableMapping['of_kind'] })}
      />
    {/if}
  </span>
  <Checkbox
    checked={mapping.decimal_comma}
    onchange={(event) => change({ ...mapping, decimal_comma: event.currentTarget.checked })}
    >1,5 is one and a half</Checkbox
  >
  {#if sheet.mapping_name}<span class="text-ink-soft"
      >mapped as “{sheet.mapping_name}”, which fits this header</span
    >{:else}<span class="text-ink-soft">columns and units are guessed: look them over</span>{/if}
</div>
<div class="overflow-x-auto">
  <table class="figures text-left">
    <thead>
      <tr>
        {#each sheet.header as column (column)}
          <ColumnHead {column} {sheet} {mapping} onchange={change} />
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each sheet.rows as row, at (at)}
        <tr class="border-b border-rule">
          {#each sheet.header as column (column)}
            <td class="lead max-w-56 px-2 py-0.5 {fieldOf(mapping, column) ? '' : 'text-ink-soft'}"
              >{row[column] ?? '–'}</td
            >
          {/each}
        </tr>
      {/each}
    </tbody>
  </table>
</div>
{#if missing.length > 0}
  <p class="pt-2 text-signal" role="status">No column yet for {missing.join(', ')}.</p>
{/if}
<div class="flex flex-wrap items-center gap-3 pt-3">
  <Button
    size="xs"
    color="alternative"
    disabled={missing.length > 0 || check.isPending}
    onclick={() => check.mutate()}
    >{check.isPending ? 'reading it through …' : 'check every row'}</Button
  >
  <Button
    size="xs"
    disabled={missing.length > 0 ||
      bring.isPending ||
      (check.data !== undefined && check.data.n_problems > 0 && !skipsBad)}
    onclick={() => bring.mutate()}>bring it in</Button
  >
  <span class="flex items-center gap-2 pl-4">
    <Input size="sm" class={[look, 'w-44']} placeholder="name of this mapping" bind:value={name} />
    <Button
      size="xs"
      color="alternative"
      class="whitespace-nowrap"
      disabled={!name || missing.length > 0 || save.isPending}
      onclick={() => save.mutate()}>keep the mapping</Button
    >
    {#if save.isSuccess}<span role="status">kept for the next file of this shape</span>{/if}
    {#if save.error}<span class="text-signal" role="alert">{save.error.message}</span>{/if}
  </span>
</div>
{#if check.error}<p class="pt-2 text-signal" role="alert">{check.error.message}</p>{/if}
{#if bring.error}<p class="pt-2 text-signal" role="alert">{bring.error.message}</p>{/if}
{#if check.data}
  <p class="pt-2" role="status">
    {check.data.n_rows} rows read, {check.data.n_good} good{check.data.n_problems > 0
      ? `, ${check.data.n_problems} bad cells`
      : '; nothing is wrong with them'}. Nothing is written yet.
  </p>
  {#if check.data.n_problems > 0}
    <Checkbox bind:checked={skipsBad}>bring in the good rows and leave these out</Checkbox>
    <ul class="max-h-48 overflow-y-auto pt-1 text-sm text-signal">
      {#each check.data.problems as problem (problem)}<li>{problem}</li>{/each}
    </ul>
  {/if}
{/if}
{#if bring.data}<ImportRun run={bring.data} />{/if}
