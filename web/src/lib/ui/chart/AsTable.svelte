<script lang="ts">
  import { chartTables } from './tables.svelte';
</script>

<!-- A chart as a table, and back; `v` does the same for all of a screen. -->
<button
  class="text-depth-5 underline"
  aria-pressed={chartTables.isOn}
  title="v does the same"
  onclick={() => chartTables.turn()}>{chartTables.isOn ? 'as a chart' : 'as a table'}</button
>
