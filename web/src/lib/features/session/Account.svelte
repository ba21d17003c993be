<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { sessionQuery } from '$lib/api/queries';
  import OwnPassword from './OwnPassword.svelte';
  import SecondFactor from './SecondFactor.svelte';
  import Sessions from './Sessions.svelte';

  const session = createQuery(sessionQuery);
</script>

<svelte:head><title>Your account · Keel Mark</title></svelte:head>
<section class="h-full overflow-y-auto px-4 pt-2 pb-6">
  <h1 class="water">Your account</h1>
  <p class="text-ink-soft">{session.data?.name}, {session.data?.role ?? 'without a role'}</p>
  <div class="mt-3 grid max-w-5xl gap-x-10 gap-y-6 lg:grid-cols-2">
    <section aria-labelledby="own-password">
      <h2 id="own-password" class="mb-1 font-semibold">Password</h2>
      <OwnPassword />
    </section>
    <section aria-labelledby="own-factor">
      <h2 id="own-factor" class="mb-1 font-semibold">Second factor</h2>
      <SecondFactor />
    </section>
    <section class="lg:col-span-2" aria-labelledby="own-sessions">
      <h2 id="own-sessions" class="mb-1 font-semibold">Where you are signed in</h2>
      <Sessions />
    </section>
  </div>
</section>
