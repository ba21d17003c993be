<script lang="ts">
  /** The figures behind a chart: when, and what is drawn there. */
  interface Props {
    label: string;
    columns: string[]; // the first is the time
    rows: string[][];
  }
  let { label, columns, rows }: Props = $props();
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex (what scrolls must be reached by keys) -->
<div class="max-h-80 overflow-auto" role="region" tabindex="0" aria-label={label}>
  <table class="figures w-full text-right">
    <thead class="sticky top-0 bg-paper text-ink-soft">
      <tr>
        {#each columns as column, at (column)}
          <th scope="col" class="px-1 font-normal {at === 0 ? 'text-left' : ''}">{column}</th>
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each rows as row, at (at)}
        <tr class="border-b border-rule">
          {#each row as cell, column (column)}
            <td class="px-1 {column === 0 ? 'text-left' : ''}">{cell}</td>
          {/each}
        </tr>
      {/each}
    </tbody>
  </table>
</div>
