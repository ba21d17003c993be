<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import { formatMoment } from '$lib/format';
  import Field from '$lib/ui/Field.svelte';
  import type { Scenario } from './queries';

  /** What was said of it, and a line to say more. */
  interface Props {
    comments: Scenario['comments'];
    mayPlan: boolean;
    onsay: (text: string) => Promise<boolean>; // whether it was kept
  }
  let { comments, mayPlan, onsay }: Props = $props();
  let text = $state('');
</script>

<section class="px-4 pt-3" aria-label="What was said">
  {#each comments as one (one.id)}
    <p class="border-b border-rule py-1">
      <span class="text-ink-soft">{one.author}, {formatMoment(one.at)}</span>
      <span class="block whitespace-pre-wrap">{one.text}</span>
    </p>
  {/each}
  {#if mayPlan}
    <form
      class="flex flex-col items-start gap-1 pt-1"
      onsubmit={(event) => {
        event.preventDefault();
        if (text.trim() === '') return;
        void onsay(text.trim()).then((isKept) => {
          if (isKept) text = '';
        });
      }}
    >
      <div class="w-full"><Field label="Say something of it" rows={2} bind:value={text} /></div>
      <Button type="submit" size="xs" color="alternative" disabled={text.trim() === ''}
        >say it</Button
      >
    </form>
  {/if}
</section>
