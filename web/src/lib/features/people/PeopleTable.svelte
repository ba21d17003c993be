<script lang="ts">
  import { formatMoment } from '$lib/format';
  import { inOrder, type Column } from '$lib/ui/table/columns';
  import Table from '$lib/ui/table/Table.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import type { Person } from './queries';
  import { mayOf, ofTenants } from './roles';

  /** Everybody with what they may, out of service ones last; a name leads to its margin. */
  interface Props {
    people: Person[];
    tenants: Record<number, string>;
    chosen: Person | null;
  }
  let { people, tenants, chosen }: Props = $props();
  let order = $state('');
  const rows = $derived(
    inOrder(people, order, {
      name: (person) => person.name,
      role: (person) => person.role ?? null,
      seen: (person) => (person.is_active ? (person.last_login ?? '') : null),
    }),
  );
  const active = $derived(people.filter((person) => person.is_active).length);
  const columns: Column<Person>[] = [
    {
      key: 'name',
      name: 'person',
      width: 'minmax(8rem, 1fr)',
      cell: name,
      isText: true,
      isSortable: true,
      isAlways: true,
    },
    { key: 'role', name: 'role', width: '110px', cell: role, isText: true, isSortable: true },
    { key: 'may', name: 'may', width: 'minmax(12rem, 3fr)', cell: may, isText: true },
    { key: 'seen', name: 'last here', width: '130px', cell: seen, isSortable: true },
  ];
  const mayIn = (person: Person) => {
    const role = person.role ?? null;
    if (!ofTenants(role)) return mayOf(role);
    const own = person.tenant_ids.map((id) => tenants[id] ?? `tenant ${id}`).join(', ');
    if (!own) return 'no tenant yet, so sees nothing';
    const provisions = role === 'tenant operator' ? ', and provisions for them' : '';
    return `reads what ${own} consume${provisions}`;
  };
  const pathTo = (person: Person) =>
    bearing.href(person === chosen ? '/people' : `/people?person=${person.id}`);
</script>

{#snippet name(person: Person)}
  <a
    class={[
      'font-semibold hover:underline',
      person === chosen && 'underline',
      !person.is_active && 'text-ink-soft line-through',
    ]}
    href={pathTo(person)}
    aria-current={person === chosen ? 'true' : undefined}
    data-sveltekit-noscroll
    data-sveltekit-keepfocus>{person.name}</a
  >
{/snippet}
{#snippet role(person: Person)}{person.role ?? 'no role'}{/snippet}
{#snippet may(person: Person)}
  <span class="text-ink-soft" title={mayIn(person)}>{mayIn(person)}</span>
{/snippet}
{#snippet seen(person: Person)}
  <span class="text-ink-soft"
    >{#if !person.is_active}out of service{:else if person.last_login}{formatMoment(
        person.last_login,
      )}{:else}never here{/if}</span
  >
{/snippet}

<Table
  name="people"
  label="People"
  note="{active} in service"
  {columns}
  of={{ rows, idOf: (person) => person.id, nAll: rows.length }}
  sorting={{ order, onorder: (told) => (order = told) }}
  empty="Nobody may anything yet."
/>
