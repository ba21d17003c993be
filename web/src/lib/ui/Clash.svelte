<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import { asRefusal } from '$lib/api/refusal';

  /** Why a write was refused; where somebody else changed it meanwhile, what to do about it. */
  interface Props {
    error: unknown;
    onreplace: (version: string) => void;
    told?: (stands: Record<string, unknown>) => string;
  }
  let { error, onreplace, told = () => '' }: Props = $props();
  const refusal = $derived(asRefusal(error));
  const standing = $derived(refusal?.standing ?? null);
</script>

{#if error}
  <div role="alert" class="text-signal">
    <p>{error instanceof Error ? error.message : 'It failed.'}</p>
    {#if standing && refusal?.stands}
      <p class="text-ink">{told(refusal.stands)} What you typed is kept here.</p>
      <Button size="xs" color="alternative" class="mt-1" onclick={() => onreplace(standing)}
        >put mine in its place</Button
      >
    {/if}
  </div>
{/if}
