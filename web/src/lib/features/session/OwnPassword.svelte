<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import { api, bodyOf } from '$lib/api/client';
  import { keys } from '$lib/api/queries';
  import { asRefusal } from '$lib/api/refusal';
  import Field from '$lib/ui/Field.svelte';

  const client = useQueryClient();
  let current = $state('');
  let wanted = $state('');
  let again = $state('');
  const differs = $derived(again !== '' && again !== wanted);
  const change = createMutation(() => ({
    mutationFn: () =>
      bodyOf(api.PUT('/api/v1/session/password', { body: { current, new: wanted } })),
    onSuccess: async (session) => {
      current = wanted = again = '';
      client.setQueryData(keys.session, session);
      await readAnew(client);
    },
  }));
  const refusal = $derived(asRefusal(change.error));
</script>

<form
  class="flex max-w-xs flex-col gap-2"
  onsubmit={(event) => {
    event.preventDefault();
    if (!differs) change.mutate();
  }}
>
  <Field
    label="Password of now"
    type="password"
    autocomplete="current-password"
    bind:value={current}
    fault={refusal?.of('current')}
    required
  />
  <Field
    label="New password, at least 10 characters"
    type="password"
    autocomplete="new-password"
    bind:value={wanted}
    fault={refusal?.of('new')}
    required
  />
  <Field
    label="The new one once more"
    type="password"
    autocomplete="new-password"
    bind:value={again}
    fault={differs ? 'This is not the same.' : undefined}
    required
  />
  {#if refusal && refusal.faults.length === 0}
    <p class="text-signal" role="alert">{refusal.message}</p>
  {/if}
  {#if change.isSuccess}<p role="status">Changed; your other sessions and all tokens ended.</p>{/if}
  <div><Button size="xs" type="submit" disabled={change.isPending}>change it</Button></div>
</form>
