<script lang="ts">
  import { clock, preferences, UTC } from '$lib/format';
  import type { Theme } from '$lib/format/preferences.svelte';
  import Choice from './Choice.svelte';
  import Menu from './Menu.svelte';

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
  const ZONES = [...new Set([clock.here, UTC])].map((zone) => ({ key: zone, name: zone }));
  const THEMES = [
    { key: 'day', name: 'day' },
    { key: 'night', name: 'night' },
    { key: 'system', name: 'as the system' },
  ];
</script>

<Menu label="Preferences" shown={person} named="{person}, preferences" buttonClass="text-base">
  {#snippet children(close)}
    <p class="mb-1 font-semibold">Bytes in</p>
    <Choice
      label="Bytes in"
      options={UNITS}
      value={preferences.system}
      onpick={(key) => preferences.setSystem(key === 'si' ? 'si' : 'iec')}
    />
    <p class="mt-3 mb-1 font-semibold">Clock</p>
    <Choice
      label="Clock"
      options={ZONES}
      value={clock.zone}
      onpick={(zone) => clock.setZone(zone)}
      class="flex flex-wrap gap-x-3"
    />
    <p class="mt-3 mb-1 font-semibold">Theme</p>
    <Choice
      label="Theme"
      options={THEMES}
      value={preferences.theme}
      onpick={(key) => preferences.setTheme(key as Theme)}
    />
    <nav class="mt-3 flex flex-col gap-1 border-t border-rule pt-2" aria-label="Yours">
      <a class="py-1 hover:underline" href="/account" onclick={close}>your account</a>
      <a class="py-1 hover:underline" href="/tokens" onclick={close}>your tokens</a>
      {#if rights.includes('read audit')}
        <a class="py-1 hover:underline" href="/people" onclick={close}
          >{rights.includes('manage people') ? 'people and the log' : 'the log'}</a
        >
      {/if}
    </nav>
    <button
      class="mt-2 w-full border-t border-rule py-2 text-left hover:underline"
      onclick={onsignout}>sign out</button
    >
  {/snippet}
</Menu>
