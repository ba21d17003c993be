<script lang="ts">
  import { createMutation, createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { tick } from 'svelte';
  import { readAnew } from '$lib/api/anew';
  import { sessionQuery } from '$lib/api/queries';
  import { asRefusal } from '$lib/api/refusal';
  import { formatMoment } from '$lib/format';
  import Clash from '$lib/ui/Clash.svelte';
  import Field from '$lib/ui/Field.svelte';
  import { onSign } from '$lib/ui/keys.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { toasts } from '$lib/ui/toasts.svelte';
  import { bringBackNote, changeNote, dropNote, notesQuery, writeNote, type Note } from './queries';

  /** What people wrote down of a thing, and a place to write more. */
  interface Props {
    id: number;
  }
  let { id }: Props = $props();
  const client = useQueryClient();
  const session = createQuery(sessionQuery);
  const mayWrite = $derived(session.data?.rights.includes('plan') ?? false);
  const notes = createQuery(() => notesQuery(id));
  let box: HTMLElement | undefined = $state();
  let isOpen = $state(false);
  let changing = $state.raw(null as Note | null);
  let body = $state('');
  const isTyping = $derived(body.trim() !== '' && body !== changing?.body);
  onSign(
    'n',
    'write a note of what is shown',
    () => void open(null),
    () => mayWrite,
  );

  async function open(note: Note | null) {
    if (note !== changing && !isTyping) body = note?.body ?? '';
    [isOpen, changing] = [true, note];
    await tick();
    box?.scrollIntoView({ block: 'nearest' });
    box?.querySelector('textarea')?.focus();
  }
  function close() {
    [isOpen, changing, body] = [false, null, ''];
  }
  const anew = () => readAnew(client, notesQuery(id).queryKey);
  const keep = createMutation(() => ({
    mutationFn: (version: string) =>
      changing ? changeNote(changing.id, version, body) : writeNote(id, body),
    onSuccess: () => {
      close();
      return anew();
    },
  }));
  const drop = createMutation(() => ({
    mutationFn: dropNote,
    onSuccess: (_, note_id) => {
      toasts.tell('Note dropped', async () => {
        await bringBackNote(note_id);
        await anew();
      });
      return anew();
    },
  }));
  const rendering = import('$lib/format/markdown');
</script>

<section class="mt-4" aria-label="Notes" bind:this={box}>
  <div class="flex items-baseline gap-3">
    <h2 class="water">Notes</h2>
    {#if mayWrite && !isOpen}
      <button class="text-depth-5 underline" onclick={() => void open(null)}>write one</button>
    {/if}
  </div>
  <ProblemNote of="Notes" error={notes.error} onretry={() => notes.refetch()} />
  <ProblemNote of="Note" error={drop.error} />
  {#if isOpen}
    <form
      class="mt-1"
      onsubmit={(event) => {
        event.preventDefault();
        keep.mutate(changing?.version ?? '');
      }}
    >
      <Field
        label={changing ? 'Note, changed' : 'Note, in Markdown'}
        rows={4}
        bind:value={() => body, (told) => (body = String(told))}
        fault={asRefusal(keep.error)?.of('body')}
      />
      <Clash
        error={keep.error}
        onreplace={(version) => keep.mutate(version)}
        told={(stands) => String(stands.body ?? '')}
      />
      <div class="mt-1 flex gap-2">
        <Button size="xs" type="submit" disabled={!isTyping || keep.isPending}>keep it</Button>
        <Button size="xs" color="alternative" onclick={close}>leave it</Button>
      </div>
    </form>
  {/if}
  {#each notes.data ?? [] as note (note.id)}
    <article class="border-b border-rule py-1.5" aria-label="Note of {note.author}">
      <div class="prose-note">
        {#await rendering}{note.body}{:then { htmlOf }}
          <!-- eslint-disable-next-line svelte/no-at-html-tags -- made of Markdown that allows no HTML -->
          {@html htmlOf(note.body)}
        {/await}
      </div>
      <p class="flex flex-wrap gap-x-3 text-ink-soft">
        <span
          >{note.author}, {formatMoment(note.written_at)}{note.changed_at
            ? `, changed ${formatMoment(note.changed_at)}`
            : ''}</span
        >
        {#if note.may_change}
          <button class="underline" onclick={() => void open(note)}>change</button>
          <button class="underline" onclick={() => drop.mutate(note.id)}>drop</button>
        {/if}
      </p>
    </article>
  {:else}
    {#if notes.data && !isOpen}
      <p class="text-ink-soft">
        {mayWrite
          ? 'Nothing is written down of it: what the next one should know belongs here (n).'
          : 'Nothing is written down of it.'}
      </p>
    {/if}
  {/each}
</section>
