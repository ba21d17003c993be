<script lang="ts">
  import { formatMoment, kindWord, preferences } from '$lib/format';
  import type { Scenario } from './queries';

  /** What has changed under a scenario since it was drawn up. */
  interface Props {
    scenario: Scenario;
    onrebase: () => void;
  }
  let { scenario, onrebase }: Props = $props();
  type Change = Scenario['changed_under'][number];
  const MOST = 6;
  const says = (one: Change) =>
    one.what === 'gone'
      ? 'is gone'
      : one.what === 'moved'
        ? 'lies elsewhere now'
        : `${one.what} ${preferences.bytes(one.before)} → ${preferences.bytes(one.after)}`;
</script>

{#if scenario.changed_under.length > 0}
  <section class="bg-shoal-ground px-4 py-2" aria-label="Changed under it">
    <p class="font-semibold">The estate has moved on since {formatMoment(scenario.baseline_at)}</p>
    <ul>
      {#each scenario.changed_under.slice(0, MOST) as one (`${one.id}.${one.what}`)}
        <li>{kindWord(one.kind)} {one.name}: {says(one)}</li>
      {/each}
    </ul>
    {#if scenario.changed_under.length > MOST}<p>
        and {scenario.changed_under.length - MOST} more
      </p>{/if}
    <p class="text-ink-soft">All figures here are on the estate as it is now.</p>
    {#if scenario.may_change}<button class="underline" onclick={onrebase}
        >seen; take this for its ground</button
      >{/if}
  </section>
{/if}
