<script lang="ts">
  import { Input } from 'flowbite-svelte';
  import { textOf } from '$lib/ui/events';
  import type { DiskText } from './moves';

  /** The disks of each VM: how large, how much of it written at first, how fast it grows. */
  interface Props {
    label: string;
    value: DiskText[];
    fault?: string | undefined;
    onchange: (value: DiskText[]) => void;
  }
  let { label, value, fault, onchange }: Props = $props();
  const COLUMNS = [
    { key: 'size', name: 'size' },
    { key: 'written', name: 'written at first, %' },
    { key: 'growth', name: 'growth a week' },
  ] as const;
  const IO = [
    { key: 'least', name: 'least IOPS' },
    { key: 'busy', name: 'busy IOPS' },
  ] as const;
  const set = (at: number, more: Partial<DiskText>) =>
    onchange(value.map((one, index) => (index === at ? { ...one, ...more } : one)));
  const like = (disk: DiskText | undefined): DiskText =>
    disk
      ? { ...disk }
      : { size: '100 GiB', written: '30', growth: '1 GiB', isThick: false, least: '', busy: '' };
</script>

<fieldset>
  <legend class="font-medium text-ink-soft">{label}</legend>
  {#each value as disk, at (at)}
    <div class="disk-fields pb-2">
      {#each COLUMNS as column (column.key)}
        <label class="min-w-0 text-xs text-ink-soft"
          >{at === 0 ? column.name : ''}<Input
            size="sm"
            class="bg-paper px-1.5 py-1 text-sm text-ink"
            aria-label="disk {at + 1}, {column.name}"
            value={disk[column.key]}
            oninput={(event) => set(at, { [column.key]: textOf(event) })}
          /></label
        >
      {/each}
      <button
        type="button"
        class="self-end text-ink-soft hover:text-ink"
        aria-label="take disk {at + 1} out"
        disabled={value.length === 1}
        onclick={() => onchange(value.filter((_, index) => index !== at))}>×</button
      >
      {#each IO as column (column.key)}
        <label class="min-w-0 text-xs text-ink-soft"
          >{at === 0 ? column.name : ''}<Input
            size="sm"
            class="bg-paper px-1.5 py-1 text-sm text-ink"
            aria-label="disk {at + 1}, {column.name}"
            placeholder="–"
            value={disk[column.key]}
            oninput={(event) => set(at, { [column.key]: textOf(event) })}
          /></label
        >
      {/each}
      <label class="col-span-2 flex items-center gap-1.5"
        ><input
          type="checkbox"
          checked={disk.isThick}
          onchange={(event) => set(at, { isThick: event.currentTarget.checked })}
        />thick</label
      >
    </div>
  {/each}
  <button
    type="button"
    class="text-depth-5 underline"
    onclick={() => onchange([...value, like(value.at(-1))])}>one more disk</button
  >
  {#if fault}<p class="text-signal">{fault}</p>{/if}
</fieldset>
