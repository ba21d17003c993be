<script lang="ts">
  import { bearing } from '$lib/url/bearing.svelte';

  /** What here is told of the estate as it is, though a scenario is looked at. */
  interface Props {
    what: string;
  }
  let { what }: Props = $props();
</script>

<p class="border-l-2 border-plan py-0.5 pl-2 text-ink-soft">
  {what} here are of the estate as it is, without the scenario;
  <a class="text-plan underline" href={bearing.href(`/scenarios/${bearing.scenario}`)}>with it</a>
</p>
