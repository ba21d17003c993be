<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import Field from '$lib/ui/Field.svelte';
  import { onSign } from '$lib/ui/keys.svelte';
  import Menu from '$lib/ui/Menu.svelte';
  import type { Scenario } from './queries';

  /** What is done with a whole scenario: taken back, done again, copied, shared, dropped. */
  interface Props {
    scenario: Scenario;
    onstep: (isBack: boolean) => void;
    oncopy: (name: string) => void;
    onshift: (days: number) => void;
    onsettle: (more: {
      name?: string;
      note?: string;
      is_shared?: boolean;
      is_dropped?: boolean;
    }) => void;
  }
  let { scenario, onstep, oncopy, onshift, onsettle }: Props = $props();
  const isDraft = $derived(scenario.state === 'draft');
  const mayUndo = $derived(scenario.may_change && isDraft && scenario.can_undo);
  const mayRedo = $derived(scenario.may_change && isDraft && scenario.can_redo);
  let days = $state('7');
  const shift = $derived(/^-?\d{1,4}$/.test(days.trim()) ? Number(days) : 0);
  let copyName = $derived(`${scenario.name}, otherwise`);
  let name = $derived(scenario.name);
  let note = $derived(scenario.note);

  onSign(
    'u',
    'takes the last change back',
    () => onstep(true),
    () => mayUndo,
  );
  onSign(
    'U',
    'does it again',
    () => onstep(false),
    () => mayRedo,
  );
</script>

<div class="flex items-center gap-3">
  {#if scenario.may_change && isDraft}
    <button
      class="text-ink-soft hover:text-ink disabled:opacity-50"
      disabled={!mayUndo}
      title={mayUndo ? `take back: ${scenario.last_change}` : 'nothing to take back'}
      onclick={() => onstep(true)}>undo</button
    >
    <button
      class="text-ink-soft hover:text-ink disabled:opacity-50"
      disabled={!mayRedo}
      onclick={() => onstep(false)}>redo</button
    >
  {/if}
  {#if scenario.may_change && isDraft && scenario.moves.length > 0}
    <Menu label="Shift all dates" shown="shift" class="w-56" buttonClass="underline">
      {#snippet children(close)}
        <form
          class="flex flex-col gap-2"
          onsubmit={(event) => {
            event.preventDefault();
            if (shift === 0) return;
            close();
            onshift(shift);
          }}
        >
          <Field
            label="All moves later by so many days"
            bind:value={days}
            fault={shift === 0 ? 'Whole days; below 0 they come earlier.' : undefined}
          />
          <p class="text-ink-soft">None comes before today.</p>
          <Button type="submit" size="xs" color="primary">shift them</Button>
        </form>
      {/snippet}
    </Menu>
  {/if}
  <Menu label="Copy it" shown="copy" class="w-64" buttonClass="underline">
    {#snippet children(close)}
      <form
        class="flex flex-col gap-2"
        onsubmit={(event) => {
          event.preventDefault();
          close();
          oncopy(copyName);
        }}
      >
        <Field label="The other one is called" bind:value={copyName} />
        <Button type="submit" size="xs" color="primary">copy it</Button>
      </form>
    {/snippet}
  </Menu>
  {#if scenario.may_change}
    <Menu label="Name and for whom" shown="settings" class="w-72" buttonClass="underline">
      {#snippet children(close)}
        <form
          class="flex flex-col gap-2"
          onsubmit={(event) => {
            event.preventDefault();
            close();
            onsettle({ name, note });
          }}
        >
          <Field label="Name" bind:value={name} />
          <Field label="What it is for" rows={3} bind:value={note} />
          <Button type="submit" size="xs" color="primary">keep</Button>
        </form>
        {#if scenario.is_own}
          <label class="mt-2 flex items-center gap-1.5"
            ><input
              type="checkbox"
              checked={scenario.is_shared}
              onchange={(event) => onsettle({ is_shared: event.currentTarget.checked })}
            />the team sees and changes it</label
          >
        {/if}
        <button
          class="mt-1 text-signal underline"
          onclick={() => {
            close();
            onsettle({ is_dropped: scenario.state !== 'dropped' });
          }}>{scenario.state === 'dropped' ? 'take it up again' : 'drop it'}</button
        >
      {/snippet}
    </Menu>
  {/if}
</div>
