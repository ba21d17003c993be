<script lang="ts">
  import { createMutation, createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import { keys } from '$lib/api/queries';
  import { daysUntil, formatDay, formatMoment } from '$lib/format';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import TokenForm from './TokenForm.svelte';
  import { revokeToken, tokensQuery } from './queries';

  const SOON_DAYS = 14;
  const client = useQueryClient();
  const tokens = createQuery(tokensQuery);
  const revoke = createMutation(() => ({
    mutationFn: (id: number) => revokeToken(id),
    onSuccess: () => readAnew(client, keys.tokens),
  }));
  let asked: number | null = $state(null); // whose end is to be said twice
  const left = (expiresAt: string) => daysUntil(expiresAt);
</script>

<svelte:head><title>Your tokens · Keel Mark</title></svelte:head>
<div class="page-grid-feeds h-full">
  <section class="min-h-0 overflow-y-auto px-4 pt-2 pb-6">
    <div class="flex items-baseline gap-5 pb-1">
      <h1 class="water">Your tokens</h1>
      <p class="text-ink-soft">programs that may act in your name, and until when</p>
    </div>
    {#if tokens.isError}
      <ProblemNote of="Tokens" error={tokens.error} onretry={() => tokens.refetch()} />
    {/if}
    {#if revoke.error}<p class="text-signal" role="alert">{revoke.error.message}</p>{/if}
    {#each tokens.data ?? [] as token (token.id)}
      <div class="row-token border-t border-rule py-1.5">
        <span class="lead font-semibold">{token.name}</span>
        <span class="lead font-mono text-xs text-ink-soft">{token.hint}…</span>
        <span>may {token.scopes.join(', ')}</span>
        <span class="text-ink-soft"
          >{token.last_used_at ? `used ${formatMoment(token.last_used_at)}` : 'not used yet'}</span
        >
        <span class={left(token.expires_at) < SOON_DAYS ? 'text-shoal' : 'text-ink-soft'}
          >{left(token.expires_at) < 0
            ? `ended ${formatDay(token.expires_at)}`
            : `until ${formatDay(token.expires_at)}`}</span
        >
        <Button
          size="xs"
          color="alternative"
          disabled={revoke.isPending}
          onclick={() => (asked === token.id ? revoke.mutate(token.id) : (asked = token.id))}
          onblur={() => (asked = null)}
          aria-label="revoke {token.name}">{asked === token.id ? 'for good?' : 'revoke'}</Button
        >
      </div>
    {:else}
      {#if tokens.data}
        <p class="border-t border-rule py-3 text-ink-soft">
          None yet. A token lets a script read, write or push documents as you do, without your
          password, for as long as it is given.
        </p>
      {/if}
    {/each}
  </section>
  <aside
    class="min-h-0 overflow-y-auto border-l border-rule bg-paper-raised px-4 pt-2 pb-6"
    aria-label="A new token"
  >
    <TokenForm />
  </aside>
</div>
