<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';
  import type { Deed } from './orders';

  /** What is lost by a step is named by who has it carried out, letter by letter. */
  interface Props {
    deed: Deed | null;
    oncancel: () => void;
    onconfirm: (deed: Deed, confirms: string) => void;
  }
  let { deed, oncancel, onconfirm }: Props = $props();
  let typed = $state('');
  $effect(() => {
    if (deed) typed = '';
  });
  const isSo = $derived(deed !== null && typed === deed.confirms);
  const lost = $derived(deed && !deed.isBack ? deed.step.loses : []);
</script>

<Dialog
  title="Delete {deed?.confirms ?? ''} at its array?"
  bind:open={() => deed !== null, (isOpen) => !isOpen && oncancel()}
>
  {#if deed}
    <form
      class="flex flex-col gap-3"
      onsubmit={(event) => {
        event.preventDefault();
        if (isSo) onconfirm(deed, typed);
      }}
    >
      <p>
        The volume is taken from every host that sees it, and all that is written on it is gone for
        good; there is no way back.
        {#if lost.length > 1}With it go {lost.slice(1).join(', ')}.{/if}
      </p>
      <Field label="Type its name, {deed.confirms}" bind:value={typed} isFirst autocomplete="off" />
      <div class="flex gap-2">
        <Button type="submit" size="xs" color="red" disabled={!isSo}>delete it</Button>
        <Button size="xs" color="alternative" onclick={oncancel}>keep it</Button>
      </div>
    </form>
  {/if}
</Dialog>
