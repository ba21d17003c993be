<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import type { HTMLAttributes } from 'svelte/elements';
  import { Refusal } from '$lib/api/refusal';

  /** What happened, to what, and what to do; nothing where nothing happened. */
  interface Props extends HTMLAttributes<HTMLDivElement> {
    of: string;
    error: Error | null;
    onretry?: () => void;
  }
  let { of, error, onretry, class: extra = '', ...rest }: Props = $props();
  // What was asked for is wrong: asking again would be refused again.
  const isOurFault = $derived(
    error instanceof Refusal && error.status >= 400 && error.status < 500,
  );
  const title = $derived(error instanceof Refusal ? error.title : 'Error');
</script>

{#if error}
  <div class={['border-l-2 border-signal py-1 pl-3', extra]} role="alert" {...rest}>
    <p class="font-semibold text-signal">{of}: {title}</p>
    <p class="max-w-prose">{error.message}</p>
    {#if onretry && !isOurFault}<Button size="xs" color="alternative" class="mt-2" onclick={onretry}
        >try again</Button
      >{/if}
  </div>
{/if}
