<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button, Checkbox } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import type { Schemas } from '$lib/api/client';
  import { keys } from '$lib/api/queries';
  import Copy from '$lib/ui/Copy.svelte';
  import Field from '$lib/ui/Field.svelte';
  import { makeToken } from './queries';

  type Scope = Schemas['TokenWriteRequest']['scopes'][number];
  const SCOPES: { scope: Scope; may: string }[] = [
    { scope: 'read', may: 'read what you may read' },
    { scope: 'write', may: 'write what you may write' },
    { scope: 'push', may: 'push documents to feeds' },
  ];
  const client = useQueryClient();
  const form = $state({ name: '', scopes: ['read'] as Scope[], n_days: 90 });
  const make = createMutation(() => ({
    mutationFn: () => makeToken({ ...form }),
    onSuccess: async () => {
      form.name = '';
      await readAnew(client, keys.tokens);
    },
  }));
  const flip = (scope: Scope) => {
    form.scopes = form.scopes.includes(scope)
      ? form.scopes.filter((one) => one !== scope)
      : [...form.scopes, scope];
  };
</script>

<form
  class="flex flex-col gap-2"
  onsubmit={(event) => {
    event.preventDefault();
    make.mutate();
  }}
>
  <h2 class="water">A new token</h2>
  <Field label="What for" bind:value={form.name} required />
  <fieldset>
    <legend class="text-ink-soft">It may</legend>
    {#each SCOPES as { scope, may } (scope)}
      <Checkbox
        checked={form.scopes.includes(scope)}
        onchange={() => flip(scope)}
        class="py-0.5 text-sm text-ink">{may}</Checkbox
      >
    {/each}
  </fieldset>
  <Field label="for, days" type="number" min="1" max="366" bind:value={form.n_days} />
  {#if make.error}<p class="text-signal" role="alert">{make.error.message}</p>{/if}
  <div>
    <Button size="xs" type="submit" disabled={make.isPending || form.scopes.length === 0}
      >make it</Button
    >
  </div>
</form>
{#if make.data}
  <div class="mt-4 border-l-2 border-plan pl-3" role="status">
    <p>{make.data.name} is shown this once; only its digest is kept.</p>
    <p class="my-1 font-mono text-xs break-all select-all">{make.data.secret}</p>
    <Copy value={make.data.secret} />
  </div>
{/if}
