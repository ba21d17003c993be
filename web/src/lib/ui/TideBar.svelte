<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { tideQuery } from '$lib/api/queries';
  import { formatDay, preferences } from '$lib/format';
  import { bearing } from '$lib/url/bearing.svelte';
  import { onSign } from './keys.svelte';
  import { filled } from './states';
  import { dayAt, monthName, monthsOf, shifted, xOf, type TideScale } from './tide';

  /** Time at the foot: what was used so far, when marks will be crossed, and the day looked at. */
  const tide = createQuery(() => tideQuery(bearing.sift, bearing.scenario));
  const HEIGHT = 40;
  const PAD = 40;
  const LINE = { top: 8, height: 13 };
  const MONTHS_APART = 3;
  const SMALL = 700; // px: months stand farther apart
  const KEY_DAYS: Record<string, number> = {
    ArrowLeft: -1,
    ArrowRight: 1,
    ArrowDown: -1,
    ArrowUp: 1,
    PageDown: -30,
    PageUp: 30,
  };
  const SETTLE_MS = 60;

  let wide = $state(0);
  let dragged: string | null = $state(null);
  let timer: ReturnType<typeof setTimeout> | undefined;
  const scale: TideScale | null = $derived(
    tide.data && wide > 2 * PAD
      ? { firstOn: tide.data.first_on, lastOn: tide.data.last_on, width: wide - 2 * PAD }
      : null,
  );
  const now = $derived(tide.data?.now_on ?? '');
  const day = $derived(dragged ?? bearing.at ?? now);
  const isForecast = $derived(day > now);
  const line = $derived.by(() => {
    if (!scale || !tide.data?.line.length) return '';
    const most = Math.max(...tide.data.line.map((point) => point.used_bytes), 1);
    const least = Math.min(...tide.data.line.map((point) => point.used_bytes));
    const span = Math.max(most - least, most * 0.05);
    const points = tide.data.line.map(
      (point) =>
        `${(PAD + xOf(point.on, scale)).toFixed(1)} ${(LINE.top + LINE.height * (1 - (point.used_bytes - least) / span)).toFixed(1)}`,
    );
    return `M${points.join('L')}`;
  });
  const ticks = $derived(
    scale
      ? (tide.data?.ticks ?? []).map((tick) => ({ ...tick, x: PAD + xOf(tick.on, scale) }))
      : [],
  );
  const said = $derived(
    day === now
      ? `${formatDay(day)}, now`
      : isForecast
        ? `${formatDay(day)}, forecast, ${bearing.quantile === 'bad' ? 'bad case' : 'likely'}`
        : `${formatDay(day)}, as it was read`,
  );

  /** Look at a day, at once or when the hand rests. */
  function look(to: string, { isStep }: { isStep: boolean }) {
    if (!tide.data) return;
    const held =
      to < tide.data.first_on
        ? tide.data.first_on
        : to > tide.data.last_on
          ? tide.data.last_on
          : to;
    clearTimeout(timer);
    dragged = held;
    const write = () => {
      void bearing.lookAt(held === now ? null : held, { isStep }).then(() => {
        if (dragged === held) dragged = null;
      });
    };
    if (isStep) write();
    else timer = setTimeout(write, SETTLE_MS);
  }

  let isHeld = false;
  const dayUnder = (event: PointerEvent & { currentTarget: Element }) =>
    scale
      ? dayAt(event.clientX - event.currentTarget.getBoundingClientRect().left - PAD, scale)
      : now;

  function onpointerdown(event: PointerEvent & { currentTarget: SVGSVGElement }) {
    if (event.button !== 0) return;
    isHeld = true;
    event.currentTarget.setPointerCapture(event.pointerId);
    look(dayUnder(event), { isStep: true });
  }
  function onpointermove(event: PointerEvent & { currentTarget: SVGSVGElement }) {
    if (!isHeld) return;
    look(dayUnder(event), { isStep: false });
  }
  function onpointerup() {
    isHeld = false;
  }

  function onkeydown(event: KeyboardEvent) {
    const days = KEY_DAYS[event.key];
    const to =
      event.key === 'Home'
        ? (tide.data?.first_on ?? now)
        : event.key === 'End'
          ? (tide.data?.last_on ?? now)
          : days === undefined
            ? null
            : shifted(day, event.shiftKey ? days * 7 : days);
    if (to === null) return;
    event.preventDefault();
    look(to, { isStep: false });
  }

  onSign('t', 'is today again', () => void bearing.lookAt(null));
  const id = $props.id();
</script>

<div
  role="region"
  aria-label="Tide bar"
  class="tide-bar border-t border-rule bg-paper-raised"
  bind:clientWidth={wide}
>
  {#if scale && tide.data}
    {@const nowX = PAD + xOf(now, scale)}
    {@const dayX = PAD + xOf(day, scale)}
    <svg
      width={wide}
      height={HEIGHT}
      class="block touch-none focus-visible:outline-2"
      role="slider"
      tabindex="0"
      aria-label="Day looked at"
      aria-valuemin={0}
      aria-valuemax={Math.round(scale.width)}
      aria-valuenow={Math.round(dayX - PAD)}
      aria-valuetext={said}
      {onpointerdown}
      {onpointermove}
      {onpointerup}
      onlostpointercapture={onpointerup}
      {onkeydown}
    >
      <defs>
        <pattern id="{id}-ahead" width="8" height="8" patternUnits="userSpaceOnUse">
          <path d="M-2 10L10 -2M-2 2L2 -2M6 10L10 6" class="stroke-rule" stroke-width="1" />
        </pattern>
      </defs>
      <rect x={nowX} width={Math.max(wide - nowX, 0)} height={HEIGHT} fill="url(#{id}-ahead)" />
      <path d={line} fill="none" class="stroke-depth-4" stroke-width="1.6" />
      <path d="M{PAD} 22.5H{wide - PAD}" class="stroke-ink-soft" stroke-width="1" />
      {#each monthsOf(scale, wide < SMALL ? 2 * MONTHS_APART : MONTHS_APART) as month (month)}
        {@const x = PAD + xOf(month, scale)}
        <path d="M{x} 22v4" class="stroke-ink-soft" stroke-width="1" />
        <text {x} y="37" text-anchor="middle" class="fill-ink-soft text-xs">{monthName(month)}</text
        >
      {/each}
      {#each ticks as tick (tick.id)}
        <rect x={tick.x - 1} y="14" width="2.4" height="8" class={filled(tick.state ?? '')}>
          <title>{tick.name} likely at its limit mark on {formatDay(tick.on)}</title>
        </rect>
      {/each}
      {#each tide.data.steps as step (step)}
        <rect x={PAD + xOf(step, scale) - 1} y="24" width="2.4" height="7" class="fill-plan">
          <title
            >{bearing.scenario === null ? 'a reservation begins' : 'a move'} on {formatDay(
              step,
            )}</title
          >
        </rect>
      {/each}
      {#if day !== now}
        <path d="M{nowX} 14v14" class="stroke-ink" stroke-width="1.4" />
      {/if}
      <path d="M{dayX} 0V{HEIGHT}" class="stroke-ink" stroke-width="2" />
      <g
        transform="translate({Math.min(Math.max(dayX, PAD + 24), wide - PAD - 24)} 0)"
        aria-hidden="true"
      >
        <rect x="-52" width="104" height="13" class={isForecast ? 'fill-plan' : 'fill-ink'} />
        <text y="10" text-anchor="middle" class="fill-paper text-xs"
          >{day === now ? 'now' : formatDay(day)}</text
        >
      </g>
    </svg>
  {/if}
  <p class="sr-only" role="status">{said}</p>
  {#if tide.data && preferences.system}
    <p class="sr-only">
      {ticks.length} of {tide.data.n_pools} pools in sight likely stand at their limit mark within two
      years.
    </p>
  {/if}
</div>
