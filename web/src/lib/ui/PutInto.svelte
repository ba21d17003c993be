<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { goto } from '$app/navigation';
  import { moveKindsQuery } from '$lib/api/scenarios';
  import { bearing } from '$lib/url/bearing.svelte';
  import PutMenu from './PutMenu.svelte';
  import { movesFor, putting, type PutThing } from './put.svelte';

  /** Puts things into a move of a scenario: which of them all, and what is to be done to them. */
  interface Props {
    things: PutThing[];
    class?: string; // of the button
  }
  let { things, class: extra = '' }: Props = $props();
  const kinds = createQuery(moveKindsQuery);
  const fitting = $derived(movesFor(kinds.data ?? [], things));

  async function put(scenarioId: number, move: string) {
    putting.things = things;
    await goto(bearing.href(`/scenarios/${scenarioId}?add=${move}`));
  }
</script>

<PutMenu
  class={extra}
  choices={fitting.map((one) => ({ key: one.kind, title: one.title, about: one.about }))}
  newName={things[0]?.name ?? 'Scenario'}
  onput={put}
  none={kinds.data && things.length > 1 ? 'no move takes these together: choose one' : ''}
/>
