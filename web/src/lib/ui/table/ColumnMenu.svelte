<script lang="ts">
  import { Checkbox } from 'flowbite-svelte';
  import Menu from '../Menu.svelte';

  /** Which columns a table shows. */
  interface Props {
    of: string;
    columns: { key: string; name: string; isShown: boolean }[];
    onpick: (key: string) => void;
  }
  let { of, columns, onpick }: Props = $props();
</script>

<Menu
  label="Columns of {of}"
  shown="columns"
  named="columns of {of}"
  class="w-44"
  buttonClass="text-xs underline min-h-6"
>
  {#each columns as column (column.key)}
    <Checkbox
      checked={column.isShown}
      onchange={() => onpick(column.key)}
      class="py-1 text-sm font-normal text-ink"
    >
      {column.name}
    </Checkbox>
  {/each}
</Menu>
