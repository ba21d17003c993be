<script lang="ts">
  import { clock, formatDay, todayIso } from '$lib/format';
  import { bearing, type Quantile } from '$lib/url/bearing.svelte';
  import Choice from './Choice.svelte';
  import Menu from './Menu.svelte';

  /** The day looked at: typed here, dragged on the tide bar; of days to come, which case. */
  const CASES = [
    { key: 'likely', name: 'likely' },
    { key: 'bad', name: 'bad case, 1 in 10' },
  ];
  const now = $derived(todayIso());
  const isForecast = $derived(bearing.at !== null && bearing.at > now);
  const shown = $derived(
    bearing.at === null
      ? `at ${formatDay(now)} · now`
      : isForecast
        ? `at ${formatDay(bearing.at)} · forecast, ${bearing.quantile === 'bad' ? 'bad case' : 'likely'}`
        : `at ${formatDay(bearing.at)} · as it was`,
  );
</script>

<Menu
  label="Day looked at"
  {shown}
  class="w-64"
  buttonClass="flex h-6 items-center border px-2 whitespace-nowrap {isForecast
    ? 'border-plan border-dashed text-plan'
    : bearing.at
      ? 'border-ink text-ink'
      : 'border-rule'}"
>
  {#snippet children(close)}
    <label class="block font-semibold" for="day-looked-at">Look at the day</label>
    <input
      id="day-looked-at"
      type="date"
      value={bearing.at ?? now}
      onchange={(event) => void bearing.lookAt(event.currentTarget.value || null)}
      class="mt-1 h-7 w-full border px-2 py-0 text-sm"
    />
    <p class="mt-3 mb-1 font-semibold">Days to come</p>
    <Choice
      label="Days to come"
      options={CASES}
      value={bearing.quantile}
      onpick={(key) => void bearing.setQuantile(key as Quantile)}
    />
    <p class="mt-2 text-ink-soft">
      {bearing.quantile === 'bad'
        ? 'Each figure is exceeded once in ten futures.'
        : 'Each figure is as likely to be exceeded as not.'} Clock: {clock.zone}.
    </p>
    <button
      class="mt-2 underline"
      disabled={bearing.at === null}
      onclick={() => {
        void bearing.lookAt(null);
        close();
      }}>today again</button
    >
  {/snippet}
</Menu>
