<script lang="ts">
  import { setQuery } from '$lib/url/bearing.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import { GROWTHS, WINDOWS } from './windows';

  /** What the soundings are of, over which window, and how fast it is to grow; both in the URL. */
  interface Props {
    of: string;
    growth: number;
    shownWindow: string;
  }
  let { of, growth, shownWindow }: Props = $props();
</script>

<div class="mt-2 flex flex-wrap items-baseline gap-x-3">
  <h2 class="water">Soundings</h2>
  <p class="lead text-ink-soft">{of}, with its 50 % and 80 % fan</p>
  <Choice
    label="Growth"
    class="ml-auto flex gap-3"
    options={GROWTHS}
    value={String(growth)}
    onpick={(key) => void setQuery('growth', key === '1' ? '' : key)}
  />
  <Choice
    label="Window"
    class="ml-4 flex gap-3"
    options={WINDOWS.map(({ key, name }) => ({ key, name }))}
    value={shownWindow}
    onpick={(key) => void setQuery('window', key === '90d' ? '' : key)}
  />
</div>
