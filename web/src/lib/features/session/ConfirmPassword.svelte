<script lang="ts">
  import { createMutation } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { api, bodyOf } from '$lib/api/client';
  import { confirmation } from '$lib/api/confirmation.svelte';
  import { asRefusal } from '$lib/api/refusal';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';

  /** The password again, for what bears on who may come in; the request behind it then goes on. */
  let password = $state('');
  let code = $state('');
  const confirm = createMutation(() => ({
    mutationFn: () =>
      bodyOf(api.POST('/api/v1/session/confirmation', { body: { password, code } })),
    onSuccess: () => leave(true),
  }));
  const refusal = $derived(asRefusal(confirm.error));

  function leave(isGiven: boolean) {
    password = code = '';
    confirm.reset();
    confirmation.answer(isGiven);
  }
</script>

<Dialog
  bind:open={
    () => confirmation.isAsked,
    (isOpen) => {
      if (!isOpen) leave(false);
    }
  }
  title="Your password again"
>
  <form
    class="flex flex-col gap-3"
    onsubmit={(event) => {
      event.preventDefault();
      confirm.mutate();
    }}
  >
    <p>This bears on who may come in, or where a secret goes. It is asked once in ten minutes.</p>
    <Field
      label="Password"
      type="password"
      autocomplete="current-password"
      bind:value={password}
      fault={refusal?.of('password')}
      required
      isFirst
    />
    {#if refusal?.kind === 'code-wanted'}
      <Field
        label="Code of your generator"
        autocomplete="one-time-code"
        inputmode="numeric"
        bind:value={code}
        required
      />
    {/if}
    {#if refusal && !refusal.of('password')}
      <p class="text-signal" role="alert">{refusal.message}</p>
    {/if}
    <div class="flex gap-2">
      <Button size="xs" type="submit" disabled={confirm.isPending}>go on</Button>
      <Button size="xs" color="alternative" onclick={() => leave(false)}>leave it</Button>
    </div>
  </form>
</Dialog>
