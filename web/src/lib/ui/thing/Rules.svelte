<script lang="ts">
  import { formatAge, formatMoment } from '$lib/format';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { drawn } from '$lib/ui/states';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import type { Subject } from './promises';

  /** Rule by rule what is wanted, what was found and where, and what would mend it. */
  interface Props {
    subject: Subject;
  }
  let { subject }: Props = $props();
  const stood = (rule: Subject['rules'][number]) =>
    rule.since && rule.state !== 'met'
      ? ` · ${rule.is_least ? 'for at least' : 'for'} ${formatAge(rule.since)}`
      : '';
</script>

{#if subject.settles_in_minutes !== null}
  <p class="text-plan">
    Something changed lately: judged in {Math.ceil(subject.settles_in_minutes)} min.
  </p>
{/if}
<ul class="mt-1" aria-label="Rules">
  {#each subject.rules as rule (rule.kind)}
    <li class="border-b border-rule py-1.5">
      <p class="flex items-center gap-2">
        <StateGlyph state={rule.state} />
        <span class="font-semibold">{rule.wanted}</span>
      </p>
      <p class={rule.state === 'met' ? 'text-ink-soft' : drawn(rule.state)}>
        {rule.found}{#if rule.place && rule.place.id !== subject.id}, at
          <a class="underline" href={bearing.href(pathOf(rule.place))}>{rule.place.name}</a
          >{/if}<span title={formatMoment(rule.since)}>{stood(rule)}</span>
      </p>
      {#if rule.mends && rule.state === 'broken'}<p>{rule.mends}</p>{/if}
    </li>
  {/each}
</ul>
