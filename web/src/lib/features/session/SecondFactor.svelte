<script lang="ts">
  import { createMutation, createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import { api, bodyOf } from '$lib/api/client';
  import { keys, sessionQuery } from '$lib/api/queries';
  import Copy from '$lib/ui/Copy.svelte';
  import Field from '$lib/ui/Field.svelte';

  /** A generator of codes: set up, confirmed by its first code, taken off. */
  const client = useQueryClient();
  const session = createQuery(sessionQuery);
  let code = $state('');
  const begin = createMutation(() => ({
    mutationFn: () => bodyOf(api.POST('/api/v1/session/second-factor')),
  }));
  const confirm = createMutation(() => ({
    mutationFn: () => bodyOf(api.PUT('/api/v1/session/second-factor', { body: { code } })),
    onSuccess: async (told) => {
      code = '';
      begin.reset();
      client.setQueryData(keys.session, told);
      await readAnew(client);
    },
  }));
  const drop = createMutation(() => ({
    mutationFn: () => bodyOf(api.DELETE('/api/v1/session/second-factor')),
    onSuccess: () => readAnew(client, keys.session),
  }));
  const picture = $derived(
    begin.data ? `data:image/svg+xml;utf8,${encodeURIComponent(begin.data.picture)}` : '',
  );
</script>

{#if session.data?.has_second_factor}
  <p>A code of your generator is asked for at each sign-in.</p>
  <Button
    size="xs"
    color="alternative"
    class="mt-2"
    disabled={drop.isPending}
    onclick={() => drop.mutate()}>take it off</Button
  >
  {#if drop.error}<p class="text-signal" role="alert">{drop.error.message}</p>{/if}
{:else if begin.data}
  <div class="flex flex-wrap gap-5">
    <img src={picture} alt="The secret as a square code" class="h-44 w-44 bg-white" />
    <form
      class="flex max-w-xs flex-col gap-2"
      onsubmit={(event) => {
        event.preventDefault();
        confirm.mutate();
      }}
    >
      <p>
        Scan this with a generator of codes (RFC 6238), or type the secret:
        <span class="font-mono text-xs break-all select-all">{begin.data.secret}</span>
      </p>
      <div><Copy value={begin.data.secret} /></div>
      <Field
        label="The code it shows now"
        autocomplete="one-time-code"
        inputmode="numeric"
        bind:value={code}
        required
        isFirst
      />
      {#if confirm.error}<p class="text-signal" role="alert">{confirm.error.message}</p>{/if}
      <div><Button size="xs" type="submit" disabled={confirm.isPending}>set it up</Button></div>
    </form>
  </div>
{:else}
  <p class="max-w-prose">
    With a generator of codes on a device of yours, your password alone lets nobody in.
  </p>
  <Button size="xs" class="mt-2" disabled={begin.isPending} onclick={() => begin.mutate()}
    >set up a generator</Button
  >
  {#if begin.error}<p class="text-signal" role="alert">{begin.error.message}</p>{/if}
{/if}
