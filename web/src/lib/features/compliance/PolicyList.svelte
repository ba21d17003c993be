<script lang="ts">
  import { bearing, writeQuery } from '$lib/url/bearing.svelte';
  import type { Policy, State } from './queries';
  import Tally from './Tally.svelte';

  /** What is promised, and how well each promise is kept. */
  interface Props {
    policies: Policy[];
    chosen: number | 'none' | null;
    state: State | null;
  }
  let { policies, chosen, state }: Props = $props();
  const sum = (policy: Policy) => Object.values(policy.counts).reduce((all, n) => all + n, 0);
  const most = $derived(Math.max(...policies.map(sum), 1));
  const wanted = (policy: Policy) => policy.newest.rules.map((rule) => rule.wants).join(' · ');
  const pathTo = (policy: Policy) =>
    bearing.href(policy.id === chosen ? '/compliance' : `/compliance?policy=${policy.id}`);
</script>

<ul aria-label="Policies">
  {#each policies as policy (policy.id)}
    <li
      class={['border-b border-rule px-4 py-1', policy.id === chosen && 'bg-depth-1']}
      aria-label={policy.name}
    >
      <div class="flex items-baseline gap-2">
        <a
          class="lead font-semibold hover:underline"
          href={pathTo(policy)}
          aria-current={policy.id === chosen ? 'true' : undefined}
          data-sveltekit-noscroll
          data-sveltekit-keepfocus>{policy.name}</a
        >
        <span class="ml-auto text-ink-soft" title="revision {policy.newest.number}"
          >r{policy.newest.number}</span
        >
      </div>
      <p class="lead text-ink-soft" title={wanted(policy)}>{wanted(policy)}</p>
      {#if sum(policy) > 0}
        <Tally
          counts={policy.counts}
          {most}
          of={policy.name}
          chosen={policy.id === chosen ? state : null}
          onpick={(told) =>
            void writeQuery(
              { policy: String(policy.id), state: told, rule: null },
              { isStep: true },
            )}
        />
      {:else}
        <p class="text-ink-soft">promised to nobody in sight</p>
      {/if}
    </li>
  {/each}
  <li class={['border-b border-rule px-4 py-1', chosen === 'none' && 'bg-depth-1']}>
    <a
      class="font-semibold hover:underline"
      href={bearing.href(chosen === 'none' ? '/compliance' : '/compliance?policy=none')}
      aria-current={chosen === 'none' ? 'true' : undefined}
      data-sveltekit-noscroll
      data-sveltekit-keepfocus>Under no policy</a
    >
  </li>
</ul>
