<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import type { Snippet } from 'svelte';
  import { api } from '$lib/api/client';
  import { keys, sessionQuery } from '$lib/api/queries';
  import BearingLine from '$lib/ui/BearingLine.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import TopLine from '$lib/ui/TopLine.svelte';
  import OutageLine from './OutageLine.svelte';
  import SignIn from './SignIn.svelte';

  interface Props {
    children: Snippet;
  }
  let { children }: Props = $props();
  const client = useQueryClient();
  const session = createQuery(sessionQuery);

  async function signOut() {
    await api.DELETE('/api/v1/session');
    client.setQueryData(keys.session, {
      name: null,
      is_signed_in: false,
      role: null,
      rights: [],
    });
    client.removeQueries({ predicate: (query) => query.queryKey[0] !== keys.session[0] });
  }
</script>

{#if session.isError}
  <main class="p-8">
    <ProblemNote of="Keel Mark" error={session.error} onretry={() => session.refetch()} />
  </main>
{:else if session.data?.is_signed_in}
  <div class="flex h-dvh flex-col">
    <TopLine person={session.data.name ?? ''} rights={session.data.rights} onsignout={signOut} />
    {#if session.data.role !== 'tenant viewer'}<BearingLine />{/if}
    <OutageLine />
    <main class="min-h-0 flex-1">{@render children()}</main>
  </div>
{:else if session.data}
  <SignIn />
{:else}
  <main class="p-8 text-ink-soft">
    {session.failureCount > 0 ? session.failureReason?.message : 'One moment …'}
  </main>
{/if}
