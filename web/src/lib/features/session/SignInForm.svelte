<script lang="ts">
  import { createMutation } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { api, bodyOf, type Schemas } from '$lib/api/client';
  import { asRefusal } from '$lib/api/refusal';
  import Field from '$lib/ui/Field.svelte';

  interface Props {
    name?: string; // of whom it must be; empty: anybody
    onsignedin: (session: Schemas['SessionRead']) => void;
  }
  let { name: wanted = '', onsignedin }: Props = $props();
  // svelte-ignore state_referenced_locally
  let name = $state(wanted);
  let password = $state('');
  let code = $state('');
  const signIn = createMutation(() => ({
    mutationFn: () => bodyOf(api.POST('/api/v1/session', { body: { name, password, code } })),
    onSuccess: onsignedin,
  }));
  const refusal = $derived(asRefusal(signIn.error));
  let wantsCode = $state(false);
  $effect(() => {
    if (refusal?.kind === 'code-wanted') wantsCode = true;
  });
</script>

<form
  class="flex flex-col gap-3"
  onsubmit={(event) => {
    event.preventDefault();
    signIn.mutate();
  }}
>
  {#if !wanted}
    <Field label="Name" autocomplete="username" bind:value={name} required isFirst />
  {/if}
  <Field
    label="Password"
    type="password"
    autocomplete="current-password"
    bind:value={password}
    required
    isFirst={wanted !== ''}
  />
  {#if wantsCode}
    <Field
      label="Code of your generator"
      autocomplete="one-time-code"
      inputmode="numeric"
      bind:value={code}
      required
      isFirst
    />
  {/if}
  {#if signIn.error}<p class="text-signal" role="alert">{signIn.error.message}</p>{/if}
  <Button type="submit" disabled={signIn.isPending}
    >{signIn.isPending ? 'signing in …' : 'Sign in'}</Button
  >
</form>
