<script lang="ts">
  import { Popover } from 'flowbite-svelte';
  import { preferences } from '$lib/format';
  import type { Theme } from '$lib/format/preferences.svelte';
  import Choice from './Choice.svelte';

  interface Props {
    person: string;
    rights: string[];
    onsignout: () => void;
  }
  let { person, rights, onsignout }: Props = $props();
  const UNITS = [
    { key: 'iec', name: 'TiB, 1024' },
    { key: 'si', name: 'TB, 1000' },
  ];
  const THEMES = [
    { key: 'day', name: 'day' },
    { key: 'night', name: 'night' },
    { key: 'system', name: 'as the system' },
  ];
</script>

<button
  id="person"
  class="text-base text-ink-soft hover:text-ink"
  aria-label="{person}, preferences">{person}</button
>
<Popover
  triggeredBy="#person"
  trigger="click"
  arrow={false}
  placement="bottom-end"
  class="w-64 border border-rule bg-paper-raised text-ink"
>
  <p class="mb-1 font-semibold">Bytes in</p>
  <Choice
    label="Bytes in"
    options={UNITS}
    value={preferences.system}
    onpick={(key) => preferences.setSystem(key === 'si' ? 'si' : 'iec')}
  />
  <p class="mt-3 mb-1 font-semibold">Theme</p>
  <Choice
    label="Theme"
    options={THEMES}
    value={preferences.theme}
    onpick={(key) => preferences.setTheme(key as Theme)}
  />
  <nav class="mt-3 flex flex-col gap-1 border-t border-rule pt-2" aria-label="Yours">
    <a class="hover:underline" href="/tokens">your tokens</a>
    {#if rights.includes('manage people')}
      <a class="hover:underline" href="/people">people and the log</a>
    {:else if rights.includes('read audit')}
      <a class="hover:underline" href="/people">the log</a>
    {/if}
  </nav>
  <button
    class="mt-3 w-full border-t border-rule pt-2 text-left hover:underline"
    onclick={onsignout}>sign out</button
  >
</Popover>
