<script lang="ts">
  import { createMutation, createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { page } from '$app/state';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { writeQuery } from '$lib/url/bearing.svelte';
  import FeedsHead from './FeedsHead.svelte';
  import MapTable from './MapTable.svelte';
  import { sendSheet, sheetQuery } from './queries';
  import Pending from '$lib/ui/Pending.svelte';

  const client = useQueryClient();
  const key = $derived(page.url.searchParams.get('sheet') ?? '');
  const kind = $derived(page.url.searchParams.get('as'));
  const ofKind = $derived(page.url.searchParams.get('of'));
  const sheet = createQuery(() => ({ ...sheetQuery(key, kind, ofKind), enabled: key !== '' }));
  let isOver = $state(false);
  const send = createMutation(() => ({
    mutationFn: (file: File) => sendSheet(file),
    onSuccess: async (told) => {
      client.setQueryData(sheetQuery(told.key, null, null).queryKey, told);
      await writeQuery({ sheet: told.key, as: null, of: null }, { isStep: true });
    },
  }));

  function take(files: FileList | null | undefined) {
    isOver = false;
    const file = files?.[0];
    if (file) send.mutate(file);
  }
</script>

<svelte:head><title>Send a table · Keel Mark</title></svelte:head>
<section class="h-full overflow-y-auto px-4 pt-2 pb-6">
  <FeedsHead here="table">
    {#if key}
      <Button
        size="xs"
        color="alternative"
        onclick={() => void writeQuery({ sheet: null, as: null, of: null })}>another table</Button
      >
    {/if}
  </FeedsHead>
  {#if sheet.isError && key}
    <ProblemNote of="The table" error={sheet.error} />
  {:else if sheet.data && key}
    {#key `${sheet.data.key} ${sheet.data.mapping.kind} ${ofKind}`}
      <MapTable sheet={sheet.data} />
    {/key}
  {:else if key}
    <Pending of="the table" />
  {:else}
    <label
      class="mt-2 block max-w-prose border border-dashed px-6 py-10 {isOver
        ? 'border-ink bg-depth-1'
        : 'border-ink-soft'}"
      ondragover={(event) => {
        event.preventDefault();
        isOver = true;
      }}
      ondragleave={() => (isOver = false)}
      ondrop={(event) => {
        event.preventDefault();
        take(event.dataTransfer?.files);
      }}
    >
      <span class="block font-semibold">Drop a CSV, XLSX or Parquet file here, or choose one</span>
      <span class="block pt-1 text-ink-soft">
        One row a thing (volumes, VMs, quotas …) or one row a thing and day, such as
        <i>Pool, Array, Day, Used (TiB), Size (TiB), Class</i>: it makes the pools and gives their
        dates. You see the rows and say which column is what; every bad row is told before anything
        is written. At most 400 columns, 200 million cells and 1 GiB.
      </span>
      <input
        type="file"
        accept=".csv,.xlsx,.parquet"
        class="pt-3"
        disabled={send.isPending}
        onchange={(event) => take(event.currentTarget.files)}
      />
    </label>
    {#if send.isPending}<p class="pt-2 text-ink-soft" role="status">sending …</p>{/if}
    {#if send.error}<ProblemNote of="The table" error={send.error} class="mt-3" />{/if}
  {/if}
</section>
