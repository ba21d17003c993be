<script lang="ts">
  import { counted, formatCount, formatSeconds, formatWeekTime, preferences } from '$lib/format';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { STATES, type Impact } from './queries';

  /** What a draft would do: who breaks and who mends, and where it could be kept. */
  interface Props {
    impact: Impact;
    isRevision: boolean;
  }
  let { impact, isRevision }: Props = $props();
  const FEW = 5;
  const nameOf = (pool: { home_name: string | null; name: string }) =>
    `${pool.home_name ? `${pool.home_name} · ` : ''}${pool.name}`;
  const beside = $derived.by(() => {
    const told = impact.beside;
    if (!told) return [];
    const bytes = (n: number) => preferences.bytes(n);
    return [
      ...(told.copy_bytes === null
        ? []
        : [
            {
              what: 'copies of what has none, uncompressed',
              amount: `${bytes(told.copy_bytes)} of ${bytes(told.copy_room_bytes)} left`,
            },
          ]),
      ...(told.thick_bytes === null
        ? []
        : [{ what: 'thick, not written yet', amount: bytes(told.thick_bytes) }]),
      ...(told.snapshot_bytes === null
        ? []
        : [{ what: 'snapshots, by what is written', amount: `≤ ${bytes(told.snapshot_bytes)}` }]),
    ];
  });
  const states = $derived(
    STATES.filter((state) => (impact.before[state] ?? 0) + (impact.after[state] ?? 0) > 0),
  );
</script>

<section aria-label="What it would do" class="mt-3">
  {#if isRevision}
    <h3 class="font-semibold">What it would do</h3>
    <table class="figures w-full">
      <thead class="text-left text-xs text-ink-soft">
        <tr
          ><th class="font-normal">subjects</th><th class="text-right font-normal">now</th><th
            class="text-right font-normal">then</th
          ></tr
        >
      </thead>
      <tbody>
        {#each states as state (state)}
          <tr class="border-b border-rule">
            <td class="py-0.5"
              ><span class="flex items-center gap-2"><StateGlyph {state} />{state}</span></td
            >
            <td class="text-right">{formatCount(impact.before[state] ?? 0)}</td>
            <td class="text-right text-plan">{formatCount(impact.after[state] ?? 0)}</td>
          </tr>
        {/each}
      </tbody>
    </table>
    {#if impact.n_breaks > 0}
      <p class="mt-1 text-signal">
        {formatCount(impact.n_breaks)} would break: {Object.entries(impact.by_rule)
          .map(([rule, n]) => `${rule} ${formatCount(n)}`)
          .join(', ')}
      </p>
      <p>
        {#each impact.breaks.slice(0, FEW) as one (one.id)}<a
            class="mr-2 underline"
            href={bearing.href(pathOf(one))}>{one.name}</a
          >{/each}{impact.n_breaks > FEW ? '…' : ''}
      </p>
    {/if}
    {#if impact.n_mends > 0}<p class="mt-1">{formatCount(impact.n_mends)} would be met.</p>{/if}
    {#if impact.n_breaks === 0 && impact.n_mends === 0}
      <p class="mt-1 text-ink-soft">Nobody breaks and nobody mends by it.</p>
    {/if}
  {/if}
  {#if impact.needs}
    <h3 class="mt-3 font-semibold">What would have to move</h3>
    <p>
      {counted('disk', impact.needs.n_disks)},
      <span class="figures">{preferences.bytes(impact.needs.used_bytes)}</span>{impact.needs
        .n_unread
        ? `, ${formatCount(impact.needs.n_unread)} of them unread`
        : ''}{impact.needs.iops === null
        ? ''
        : `; at their busiest ${formatCount(Math.round(impact.needs.iops))} operations a second`}
    </p>
    <p class={impact.needs.fits ? 'text-ink-soft' : 'text-signal'}>
      {impact.needs.fits
        ? 'There is room'
        : impact.needs.n_left
          ? `${counted('disk', impact.needs.n_left)} would find no room`
          : 'There is not room enough'}:
      {preferences.bytes(impact.needs.room_bytes)} left in all pools that would keep it.
    </p>
    {#if impact.needs.places.length > 0}
      <ul aria-label="Where they would go">
        {#each impact.needs.places.slice(0, FEW) as pool (pool.id)}
          <li class="figures flex items-baseline gap-2 border-b border-rule py-0.5">
            <a class="lead hover:underline" href={bearing.href(pathOf(pool))}>{nameOf(pool)}</a>
            <span class="ml-auto whitespace-nowrap"
              >{preferences.bytes(pool.used_bytes)}, {counted('disk', pool.n_disks)}</span
            >
          </li>
        {/each}
      </ul>
      {#if impact.needs.least_seconds !== null}
        <p class="text-ink-soft">
          takes {formatSeconds(impact.needs.least_seconds)} at least, as fast as the arrays have left
          in their busy hours
        </p>
      {/if}
      {#if impact.needs.n_places > FEW}
        <p class="text-ink-soft">and {formatCount(impact.needs.n_places - FEW)} pools more</p>
      {/if}
    {/if}
  {/if}
  {#if beside.length > 0}
    <h3 class="mt-3 font-semibold">What it takes where it lies</h3>
    <ul>
      {#each beside as line (line.what)}
        <li class="flex items-baseline gap-2 border-b border-rule py-0.5">
          <span>{line.what}</span>
          <span class="figures ml-auto whitespace-nowrap">{line.amount}</span>
        </li>
      {/each}
    </ul>
  {/if}
  {#if impact.quiet}
    <p class="mt-1">
      Quietest from <span class="font-semibold">{formatWeekTime(impact.quiet.begins_at)}</span> for
      {impact.quiet.n_hours} h:
      {formatCount(Math.round(impact.quiet.iops))} operations a second, usually {formatCount(
        Math.round(impact.quiet.usual_iops),
      )}
      <span class="text-ink-soft"
        >(by {counted('day', impact.quiet.n_days)}{impact.quiet.n_disks < impact.quiet.n_all
          ? ` of ${formatCount(impact.quiet.n_disks)} in ${formatCount(impact.quiet.n_all)} disks`
          : ''})</span
      >
    </p>
  {/if}
  <h3 class="mt-3 font-semibold">Where it could be kept</h3>
  {#if impact.n_places > 0}
    <p class="text-ink-soft">
      {formatCount(impact.n_places)} pools{impact.n_may > 0
        ? `; of ${formatCount(impact.n_may)} more something is not known`
        : ''}, the most room first
    </p>
    <ul>
      {#each impact.places.slice(0, FEW) as pool (pool.id)}
        <li class="figures flex items-baseline gap-2 border-b border-rule py-0.5">
          <a class="lead hover:underline" href={bearing.href(pathOf(pool))}>{nameOf(pool)}</a>
          <span class="ml-auto whitespace-nowrap"
            >{preferences.bytes(pool.plannable_bytes)} left</span
          >
        </li>
      {/each}
    </ul>
  {:else}
    <p class="text-signal">No pool would surely keep it.</p>
    {#if impact.n_may > 0}
      <p class="text-ink-soft">
        {formatCount(impact.n_may)} may: of them something is not known.
      </p>
    {/if}
  {/if}
  {#if impact.rejections.length > 0}
    <p class="mt-1 text-ink-soft">
      Rejected by {impact.rejections
        .map(
          (one) =>
            `${one.kind} ${formatCount(one.n)}${one.n_alone > 0 ? ` (${formatCount(one.n_alone)} by it alone)` : ''}` +
            (one.nearest ? `, nearest ${nameOf(one.nearest)}: ${one.nearest.found}` : ''),
        )
        .join('; ')}.
    </p>
  {/if}
</section>
