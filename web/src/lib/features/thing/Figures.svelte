<script lang="ts">
  import type { Figure } from './figures';

  interface Props {
    figures: Figure[];
    chosen: string;
    onpick: (figure: string) => void;
    isForecast?: boolean; // what the books say is of a day to come
  }
  let { figures, chosen, onpick, isForecast = false }: Props = $props();
  const DATES = new Set(['ends', 'order_by']); // which are forecast at any day
  const FEW = 4; // stand together instead of apart
</script>

<div
  class="flex flex-wrap border-y border-rule py-1.5 {figures.length < FEW
    ? 'gap-12'
    : 'justify-between gap-2'}"
  role="group"
  aria-label="Figures; the chosen one's working is in the margin"
>
  {#each figures as figure (figure.key)}
    <button
      aria-pressed={chosen === figure.key}
      title={figure.exact}
      onclick={() => onpick(figure.key)}
      class="border-b-2 pb-0.5 text-left {chosen === figure.key
        ? figure.isUrgent
          ? 'border-signal'
          : 'border-ink'
        : 'border-transparent'}"
    >
      <span class="block text-xs text-ink-soft">{figure.name}</span>
      <span
        class="figures block text-base font-semibold whitespace-nowrap {figure.isUrgent
          ? 'text-signal'
          : isForecast && !DATES.has(figure.key)
            ? 'text-plan'
            : ''}">{figure.shown}</span
      >
    </button>
  {/each}
</div>
