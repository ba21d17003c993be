<script lang="ts">
  import type { Sheet } from '$lib/api/client';
  import Pick from '$lib/ui/Pick.svelte';
  import type { TableMapping } from './queries';
  import { DATE_FORMS, fieldOf, withField, withUnit, wordOf } from './sheet';

  interface Props {
    column: string;
    sheet: Sheet;
    mapping: TableMapping;
    onchange: (mapping: TableMapping) => void;
  }
  let { column, sheet, mapping, onchange }: Props = $props();
  const field = $derived(fieldOf(mapping, column));
  const form = $derived(sheet.fields_of_kind.find((known) => known.name === field)?.form ?? '');
  const unit = $derived(mapping.columns[field]?.unit ?? '');
  const items = $derived([
    { value: '', name: '– leave out –' },
    ...sheet.fields_of_kind.map((known) => ({
      value: known.name,
      name: wordOf(known.name) + (known.is_required ? ' *' : ''),
    })),
  ]);
</script>

<th class="min-w-36 border-b border-ink px-2 py-1 align-bottom font-normal">
  <span class="block {field ? 'font-semibold' : 'text-ink-soft'}">{column}</span>
  <Pick
    label="{column} fills"
    {items}
    value={field}
    onpick={(name) => onchange(withField(mapping, column, name))}
  />
  {#if form === 'bytes'}
    <Pick
      class="mt-1"
      label="unit of {column}"
      items={sheet.units.map((one) => ({ value: one, name: `in ${one}` }))}
      value={unit || 'B'}
      onpick={(unit) => onchange(withUnit(mapping, field, unit))}
    />
  {:else if form === 'date' || form === 'moment'}
    <Pick
      class="mt-1"
      label="form of {column}"
      items={DATE_FORMS.map((one) => ({ value: one.key, name: `as ${one.name}` }))}
      value={unit}
      onpick={(unit) => onchange(withUnit(mapping, field, unit))}
    />
  {/if}
</th>
