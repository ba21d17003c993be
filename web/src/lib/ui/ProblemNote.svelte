<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import type { HTMLAttributes } from 'svelte/elements';
  import { Refusal } from '$lib/api/refusal';

  /** What happened, to what, and what to do. */
  interface Props extends HTMLAttributes<HTMLDivElement> {
    of: string;
    error: Error;
    onretry?: () => void;
  }
  let { of, error, onretry, ...rest }: Props = $props();
  const title = $derived(error instanceof Refusal ? error.title : 'Error');
</script>

<div class="border-l-2 border-signal py-1 pl-3" role="alert" {...rest}>
  <p class="font-semibold text-signal">{of}: {title}</p>
  <p class="max-w-prose">{error.message}</p>
  {#if onretry}<Button size="xs" color="alternative" class="mt-2" onclick={onretry}
      >try again</Button
    >{/if}
</div>
