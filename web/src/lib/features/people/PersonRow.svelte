<script lang="ts">
  import { formatMoment } from '$lib/format';
  import type { Person } from './queries';
  import { mayOf } from './roles';

  interface Props {
    person: Person;
    tenants: Record<number, string>;
    isChosen: boolean;
    onpick: () => void;
  }
  let { person, tenants, isChosen, onpick }: Props = $props();
  const own = $derived(person.tenant_ids.map((id) => tenants[id] ?? `tenant ${id}`).join(', '));
</script>

<button
  class={[
    'row-person w-full border-t border-rule py-1.5 text-left',
    isChosen && 'bg-depth-1',
    !person.is_active && 'text-ink-soft line-through',
  ]}
  aria-pressed={isChosen}
  onclick={onpick}
>
  <span class="lead font-semibold">{person.name}</span>
  <span>{person.role ?? 'no role'}</span>
  <span class="lead text-ink-soft">
    {#if person.role === 'tenant viewer'}
      {own ? `reads what ${own} consume` : 'no tenant yet, so sees nothing'}
    {:else}{mayOf(person.role ?? null)}{/if}
  </span>
  <span class="figures text-right text-ink-soft">
    {person.is_active
      ? person.last_login
        ? formatMoment(person.last_login)
        : 'never here'
      : 'out of service'}
  </span>
</button>
