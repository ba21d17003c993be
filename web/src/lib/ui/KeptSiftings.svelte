<script lang="ts">
  import { createMutation, createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button, Checkbox } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import { api, bodyOf } from '$lib/api/client';
  import { keys, siftingsQuery } from '$lib/api/queries';
  import { bearing } from '$lib/url/bearing.svelte';
  import Menu from './Menu.svelte';
  import ProblemNote from './ProblemNote.svelte';
  import { toasts } from './toasts.svelte';

  /** Siftings kept under a name: one's own, and those that others share. */
  const client = useQueryClient();
  const siftings = createQuery(siftingsQuery);
  let name = $state('');
  let isShared = $state(false);
  const anew = () => readAnew(client, keys.siftings);
  const keep = createMutation(() => ({
    mutationFn: (told: { name: string; text: string; is_shared: boolean }) =>
      bodyOf(api.POST('/api/v1/siftings', { body: told })),
    onSuccess: (kept) => {
      toasts.tell(`Kept as ${kept.name}`);
      name = '';
      void anew();
    },
  }));
  const drop = createMutation(() => ({
    mutationFn: (sifting_id: number) =>
      bodyOf(api.DELETE('/api/v1/siftings/{sifting_id}', { params: { path: { sifting_id } } })),
    onSuccess: () => anew(),
  }));

  async function dropIt(one: { id: number; name: string; text: string; is_shared: boolean }) {
    await drop.mutateAsync(one.id);
    toasts.tell(`${one.name} is no longer kept`, () => keep.mutateAsync(one));
  }
</script>

<Menu label="Kept siftings" shown="kept" named="kept siftings" class="w-80" buttonClass="h-6">
  {#snippet children(close)}
    <ul class="max-h-64 overflow-y-auto">
      {#each siftings.data ?? [] as one (one.id)}
        <li class="flex items-baseline gap-2 py-0.5">
          <button
            class="lead min-w-0 flex-1 text-left hover:underline"
            title={one.text}
            onclick={() => {
              void bearing.replace(one.text);
              close();
            }}
            ><b>{one.name}</b>
            <span class="text-ink-soft">{one.is_own ? one.text : `${one.owner}’s`}</span></button
          >
          {#if one.is_own}
            <button
              class="text-ink-soft underline"
              aria-label="drop {one.name}"
              onclick={() => void dropIt(one)}>drop</button
            >
          {/if}
        </li>
      {:else}
        <li class="text-ink-soft">None is kept yet: narrow, then keep it under a name.</li>
      {/each}
    </ul>
    <form
      class="mt-2 border-t border-rule pt-2"
      onsubmit={(event) => {
        event.preventDefault();
        keep.mutate({ name, text: bearing.sift, is_shared: isShared });
      }}
    >
      <label class="block" for="sifting-name"
        >Keep <b class="break-all">{bearing.sift || 'what is narrowed'}</b> as</label
      >
      <input
        id="sifting-name"
        bind:value={name}
        maxlength="80"
        class="mt-1 h-7 w-full border px-2 py-0 text-sm"
        autocomplete="off"
      />
      <div class="mt-1 flex items-center justify-between">
        <Checkbox bind:checked={isShared} class="text-sm font-normal text-ink">for all</Checkbox>
        <Button
          type="submit"
          size="xs"
          color="alternative"
          disabled={!bearing.sift || !name.trim() || keep.isPending}>keep</Button
        >
      </div>
      <ProblemNote of="Sifting" error={keep.error} class="mt-1" />
    </form>
  {/snippet}
</Menu>
