<script lang="ts">
  import { Toast } from 'flowbite-svelte';
  import { toasts, type Told } from './toasts.svelte';

  /** What was done just now, at the foot of the screen. */
  async function takeBack(told: Told) {
    toasts.drop(told.id);
    try {
      await told.undo?.();
      toasts.tell(`Taken back: ${told.says}`);
    } catch (problem) {
      toasts.tell(`Not taken back: ${problem instanceof Error ? problem.message : told.says}`);
    }
  }
</script>

<div
  class="fixed bottom-4 left-4 z-40 flex flex-col gap-2"
  role="status"
  aria-label="Done just now"
>
  {#each toasts.list as told (told.id)}
    <Toast
      role="group"
      dismissable={false}
      align={false}
      class="w-auto max-w-md border border-edge bg-paper-raised p-2 text-ink shadow-lg"
    >
      <div class="flex items-center gap-3 text-sm">
        <span>{told.says}</span>
        {#if told.undo}
          <button class="font-semibold underline" onclick={() => takeBack(told)}>undo</button>
        {/if}
        <button class="text-ink-soft" onclick={() => toasts.drop(told.id)}>put away</button>
      </div>
    </Toast>
  {/each}
</div>
