<script lang="ts">
  import { formatMoment } from '$lib/format';
  import { changesOf } from './changes';
  import type { Entry } from './queries';

  interface Props {
    entry: Entry;
    onpick: (name: string) => void;
  }
  let { entry, onpick }: Props = $props();
  const OWN = 'keel';
  const who = $derived(entry.actor_name || OWN);
  const changes = $derived(
    changesOf(
      entry.before as Record<string, unknown> | null,
      entry.after as Record<string, unknown> | null,
    ),
  );
</script>

<div class="row-log items-baseline border-t border-rule py-1">
  <span class="figures text-ink-soft" title={entry.at}>{formatMoment(entry.at)}</span>
  <span class="lead">
    <button class="hover:underline" onclick={() => onpick(who)}>{who}</button>
    {#if entry.by_token}<span class="text-ink-soft">by {entry.by_token}</span>{/if}
  </span>
  <span class="lead">{entry.action} <span class="font-semibold">{entry.subject_name}</span></span>
  <span>
    {#each changes as change, at (change.name)}
      {at > 0 ? '; ' : ''}<span class="text-ink-soft">{change.name}</span>
      {#if change.before !== null && change.after !== null}
        <s class="text-ink-soft">{change.before}</s> → {change.after}
      {:else}
        {change.after ?? change.before}
      {/if}
    {/each}
  </span>
</div>
