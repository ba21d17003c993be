<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { keys } from '$lib/api/queries';
  import Logo from '$lib/ui/Logo.svelte';
  import SignInForm from './SignInForm.svelte';

  const client = useQueryClient();
</script>

<svelte:head><title>Sign in · Keel Mark</title></svelte:head>
<main class="mx-auto flex h-dvh w-80 flex-col justify-center gap-4">
  <h1 class="flex items-center gap-3 text-xl">
    <Logo width="20" height="22" />
    Keel Mark
  </h1>
  <p class="water text-ink-soft">What is full, what will be, and when.</p>
  <SignInForm onsignedin={(session) => client.setQueryData(keys.session, session)} />
</main>
