<script lang="ts">
  import { counted, exactBytes, formatCount, formatDay, preferences } from '$lib/format';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { money } from './prices';
  import type { Line } from './queries';

  /** What each does, a line each; better and worse than as it is told alike. */
  interface Props {
    lines: Line[];
    chosen: number;
    currency: string; // of prices; empty where there are none
  }
  let { lines, chosen, currency }: Props = $props();
  const WORDS: Record<string, string> = {
    n_cpus: 'CPUs',
    memory_bytes: 'memory',
    disk_bytes: 'space',
  };
  const plain = $derived(lines.find((one) => one.scenario_id === null));
  /** Which way a figure goes from what is: −1 is worse. */
  type Figure =
    | 'n_berths'
    | 'exposure_bytes'
    | 'n_broken'
    | 'n_past_limit'
    | 'n_oversold'
    | 'n_held'
    | 'n_starved'
    | 'costs_a_month';
  function turn(line: Line, name: Figure) {
    const [before, after] = [plain?.[name] ?? null, line[name]];
    if (line.scenario_id === null || before === null || after === null) return 0;
    if (Math.round(before) === Math.round(after)) return 0;
    return (after > before ? 1 : -1) * (name === 'n_berths' ? 1 : -1);
  }
  /** By how much more a month than as it is. */
  function more(line: Line) {
    const [was, now] = [plain?.costs_a_month ?? null, line.costs_a_month];
    if (line.scenario_id === null || was === null || now === null) return '';
    const by = Math.round(now - was);
    return by === 0 ? '' : `, ${by > 0 ? '+' : '−'}${formatCount(Math.abs(by))}`;
  }
  const mark = (way: number) => (way > 0 ? ' better' : way < 0 ? ' worse' : '');
  const least = (line: Line) =>
    [...line.clusters]
      .filter((one) => one.n_free !== null)
      .sort((a, b) => (a.n_free ?? 0) - (b.n_free ?? 0))[0];
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex (it is scrolled by keys where it is too wide) -->
<div role="region" tabindex="0" aria-label="What it does, scrolled" class="overflow-x-auto">
  <table class="figures w-full text-left" aria-label="What it does">
    <thead class="text-ink-soft">
      <tr class="border-t-2 border-b border-ink border-b-rule">
        <th class="py-1 pr-2 font-normal"><span class="sr-only">of</span></th>
        <th class="py-1 pr-2 font-normal">berths free</th>
        <th class="py-1 pr-2 font-normal">exposure</th>
        <th class="py-1 pr-2 font-normal">who breaks a rule</th>
        <th class="py-1 pr-2 font-normal">disks held</th>
        <th class="py-1 pr-2 font-normal">pools past limit</th>
        <th class="py-1 pr-2 font-normal">ends next, likely</th>
        <th class="py-1 pr-2 font-normal">order by</th>
        <th class="py-1 font-normal">{currency ? 'spend, then a month' : 'spend'}</th>
      </tr>
    </thead>
    <tbody>
      {#each lines as line (line.scenario_id)}
        <tr
          class={[
            'border-b border-rule align-top',
            line.scenario_id === chosen && 'font-semibold text-plan',
          ]}
        >
          <th class="py-1 pr-2 font-semibold" scope="row">
            {#if line.scenario_id === null || line.scenario_id === chosen}{line.name}{:else}<a
                class="hover:underline"
                href={bearing.href(`/scenarios/${line.scenario_id}`)}>{line.name}</a
              >{/if}
            {#if line.n_barred > 0}<span class="block font-normal text-signal"
                >{line.n_barred} left out</span
              >{/if}
          </th>
          <td
            class="py-1 pr-2"
            title={line.clusters
              .map(
                (one) => `${one.name}: ${one.n_free ?? '–'}, ${WORDS[one.limited_by ?? ''] ?? ''}`,
              )
              .join('; ')}
            >{line.n_berths === null ? '–' : formatCount(line.n_berths)}<span class="sr-only"
              >{mark(turn(line, 'n_berths'))}</span
            >{#if least(line)}<span class="block text-xs font-normal text-ink-soft"
                >{least(line)?.name}
                {least(line)?.n_free}, {WORDS[least(line)?.limited_by ?? '']}</span
              >{/if}</td
          >
          <td class="py-1 pr-2" title={exactBytes(line.exposure_bytes)}
            >{preferences.bytes(line.exposure_bytes)}<span
              class={[
                'block text-xs font-normal',
                turn(line, 'exposure_bytes') < 0 ? 'text-shoal' : 'text-ink-soft',
              ]}
              >{line.scenario_id !== null && turn(line, 'exposure_bytes') !== 0
                ? preferences.bytes(line.exposure_bytes - (plain?.exposure_bytes ?? 0), true)
                : ''}</span
            ></td
          >
          <td class={['py-1 pr-2', turn(line, 'n_broken') < 0 && 'text-signal']}
            >{line.n_broken}<span class="sr-only">{mark(turn(line, 'n_broken'))}</span></td
          >
          <td
            class={['py-1 pr-2', turn(line, 'n_held') < 0 && 'text-signal']}
            title="by what was asked for in the newest five-minute means, at the limits of each"
            >{line.n_held === null ? '–' : formatCount(line.n_held)}<span class="sr-only"
              >{mark(turn(line, 'n_held'))}</span
            ><span
              class={[
                'block text-xs font-normal',
                turn(line, 'n_starved') < 0 ? 'text-signal' : 'text-ink-soft',
              ]}
              >{line.n_starved === null
                ? 'nothing was read lately'
                : `${formatCount(line.n_starved)} starved${mark(turn(line, 'n_starved'))}`}</span
            ></td
          >
          <td class={['py-1 pr-2', turn(line, 'n_past_limit') < 0 && 'text-signal']}
            >{line.n_past_limit}<span class="sr-only">{mark(turn(line, 'n_past_limit'))}</span
            >{#if line.n_oversold > 0 || turn(line, 'n_oversold') !== 0}<span
                class={[
                  'block text-xs font-normal',
                  turn(line, 'n_oversold') < 0 ? 'text-signal' : 'text-ink-soft',
                ]}
                >{counted('array', line.n_oversold)} oversold{mark(turn(line, 'n_oversold'))}</span
              >{/if}</td
          >
          <td class="py-1 pr-2">
            {#if line.first_end}<a
                class="hover:underline"
                href={bearing.href(pathOf(line.first_end))}>{formatDay(line.first_end.on)}</a
              ><span class="block text-xs font-normal text-ink-soft">{line.first_end.name}</span
              >{:else}no end in sight{/if}
          </td>
          <td class="py-1 pr-2">
            {#if line.order_by}{formatDay(line.order_by.on)}<span
                class="block text-xs font-normal text-ink-soft">{line.order_by.name}</span
              >{:else}–{/if}
          </td>
          <td class="py-1"
            >{line.spends ? formatCount(line.spends) : '0'}{#if currency}<span
                class={[
                  'block text-xs font-normal',
                  turn(line, 'costs_a_month') < 0 ? 'text-shoal' : 'text-ink-soft',
                ]}
                title={line.n_unpriced > 0
                  ? `${counted('pool', line.n_unpriced)} without a price cost nothing in it`
                  : undefined}
                >{money(line.costs_a_month, currency)}{more(line)}{mark(
                  turn(line, 'costs_a_month'),
                )}</span
              >{/if}</td
          >
        </tr>
      {/each}
    </tbody>
  </table>
</div>
