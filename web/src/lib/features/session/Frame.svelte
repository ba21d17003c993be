<script lang="ts">
  import { createMutation, createQuery, useQueryClient } from '@tanstack/svelte-query';
  import type { Snippet } from 'svelte';
  import { readAnew } from '$lib/api/anew';
  import { api, bodyOf, type Schemas } from '$lib/api/client';
  import { keys, sessionQuery } from '$lib/api/queries';
  import BearingLine from '$lib/ui/BearingLine.svelte';
  import { chartTables } from '$lib/ui/chart/tables.svelte';
  import { onSign } from '$lib/ui/keys.svelte';
  import KeySheet from '$lib/ui/KeySheet.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import Toasts from '$lib/ui/Toasts.svelte';
  import TideBar from '$lib/ui/TideBar.svelte';
  import TopLine from '$lib/ui/TopLine.svelte';
  import ConfirmPassword from './ConfirmPassword.svelte';
  import OutageLine from './OutageLine.svelte';
  import SignIn from './SignIn.svelte';
  import SignInAgain from './SignInAgain.svelte';

  interface Props {
    children: Snippet;
  }
  let { children }: Props = $props();
  onSign('v', 'charts as tables, and back', () => chartTables.turn());
  // Most people meet it once: it is loaded for those who do.
  const firstThings = () => import('./FirstThings.svelte');
  const client = useQueryClient();
  const session = createQuery(sessionQuery);
  // Who was here last: a session that ends elsewhere must not throw the screen away.
  let last: Schemas['SessionRead'] | null = $state.raw(null);
  $effect(() => {
    if (session.data?.is_signed_in) last = session.data;
  });
  const shown = $derived(session.data?.is_signed_in ? session.data : last);
  const hasEnded = $derived(session.data !== undefined && !session.data.is_signed_in);

  const signOut = createMutation(() => ({
    mutationFn: () => bodyOf(api.DELETE('/api/v1/session')),
    onSuccess: () => leave(),
  }));

  /** Forget all that was read for this person. */
  function leave() {
    last = null;
    client.removeQueries({ predicate: (query) => query.queryKey[0] !== keys.session[0] });
    client.setQueryData<Schemas['SessionRead']>(keys.session, {
      name: null,
      is_signed_in: false,
      role: null,
      rights: [],
      must_change_password: false,
      must_set_up_factor: false,
      has_second_factor: false,
    });
    void readAnew(client, keys.session);
  }
</script>

{#if session.isError && !shown}
  <main class="p-8">
    <ProblemNote of="Keel Mark" error={session.error} onretry={() => session.refetch()} />
  </main>
{:else if shown && (shown.must_change_password || shown.must_set_up_factor)}
  {#await firstThings() then { default: FirstThings }}
    <FirstThings
      mustChangePassword={shown.must_change_password}
      onsignout={() => signOut.mutate()}
    />
  {/await}
{:else if shown}
  <a
    href="#main"
    class="absolute -top-20 left-4 z-50 border border-ink bg-paper-raised px-3 py-1 focus:top-1"
    >to what this page tells</a
  >
  <div class="flex h-dvh flex-col print:block print:h-auto">
    <div class="contents print:hidden">
      <TopLine person={shown.name ?? ''} rights={shown.rights} onsignout={() => signOut.mutate()} />
      {#if shown.rights.includes('read feeds')}<BearingLine />{/if}
    </div>
    {#if signOut.error}
      <p class="border-b border-signal bg-shoal-ground px-4 py-1" role="alert">
        You are still signed in: {signOut.error.message}
      </p>
    {/if}
    <OutageLine />
    <main id="main" tabindex="-1" class="min-h-0 flex-1 print:block">{@render children()}</main>
    <div class="contents print:hidden">
      {#if shown.rights.includes('read feeds')}<TideBar />{/if}
    </div>
  </div>
  {#if hasEnded}<SignInAgain name={shown.name ?? ''} onother={leave} />{/if}
{:else if session.data}
  <SignIn />
{:else}
  <main class="p-8 text-ink-soft">
    {session.failureCount > 0 ? session.failureReason?.message : 'One moment …'}
  </main>
{/if}
{#if shown}<KeySheet />{/if}
<Toasts />
<ConfirmPassword />
