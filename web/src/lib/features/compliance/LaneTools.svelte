<script lang="ts">
  import { kindWord } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import Pick from '$lib/ui/Pick.svelte';
  import { setQuery } from '$lib/url/bearing.svelte';
  import { GROUPS, IO_STATES, type GroupKind, type WantedLanes } from './tiers';

  /** Which lanes are shown: how their disks are served, and one by one or added up by what. */
  interface Props {
    wanted: WantedLanes;
    by: GroupKind | null;
    hasTier: boolean;
  }
  let { wanted, by, hasTier }: Props = $props();
  const states = $derived([
    { key: '', name: 'all' },
    ...IO_STATES.filter((state) => state !== 'untiered' || !hasTier).map((key) => ({
      key,
      name: key,
    })),
  ]);
  const groups = [
    { value: '', name: 'each disk' },
    ...GROUPS.map((kind) => ({ value: kind, name: `by ${kindWord(kind)}` })),
  ];
</script>

<Choice
  label="How they are served"
  options={states}
  value={wanted.state ?? ''}
  onpick={(state) => void setQuery('io', state)}
/>
<Pick
  class="w-32 shrink-0"
  label="Added up"
  items={groups}
  value={by ?? ''}
  onpick={(kind) => void setQuery('by', kind, { isStep: true })}
/>
