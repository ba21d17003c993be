<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button, Input, Label } from 'flowbite-svelte';
  import { api, bodyOf } from '$lib/api/client';
  import { keys } from '$lib/api/queries';
  import Logo from '$lib/ui/Logo.svelte';

  let name = $state('');
  let password = $state('');
  const client = useQueryClient();
  const signIn = createMutation(() => ({
    mutationFn: () => bodyOf(api.POST('/api/v1/session', { body: { name, password } })),
    onSuccess: (session) => client.setQueryData(keys.session, session),
  }));

  function onsubmit(event: SubmitEvent) {
    event.preventDefault();
    signIn.mutate();
  }
</script>

<main class="mx-auto flex h-dvh w-80 flex-col justify-center gap-4">
  <h1 class="flex items-center gap-3 text-xl">
    <Logo width="20" height="22" />
    Keel Mark
  </h1>
  <p class="water text-ink-soft">What is full, what will be, and when.</p>
  <form class="flex flex-col gap-3" {onsubmit}>
    <Label
      >Name<Input
        bind:value={name}
        autocomplete="username"
        required
        autofocus
        class="mt-1"
      /></Label
    >
    <Label
      >Password<Input
        type="password"
        bind:value={password}
        autocomplete="current-password"
        required
        class="mt-1"
      /></Label
    >
    {#if signIn.error}<p class="text-signal" role="alert">{signIn.error.message}</p>{/if}
    <Button type="submit" disabled={signIn.isPending}
      >{signIn.isPending ? 'signing in …' : 'Sign in'}</Button
    >
  </form>
</main>
