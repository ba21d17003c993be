<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button, Checkbox, Label } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import { keys } from '$lib/api/queries';
  import { asRefusal } from '$lib/api/refusal';
  import Clash from '$lib/ui/Clash.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Pick from '$lib/ui/Pick.svelte';
  import { setQuery } from '$lib/url/bearing.svelte';
  import { addPerson, changePerson, type Person } from './queries';
  import { mayOf, ofTenants, roleItems, type Role } from './roles';

  interface Props {
    person: Person | null; // null: one is being added
    tenants: { id: number; name: string }[];
    isOneself: boolean;
  }
  let { person, tenants, isOneself }: Props = $props();
  const client = useQueryClient();
  // The margin is made anew for each person, so the form begins with what that person is now.
  // svelte-ignore state_referenced_locally
  const form = $state({
    name: person?.name ?? '',
    password: '',
    role: (person?.role ?? 'planner') as Role,
    tenant_ids: [...(person?.tenant_ids ?? [])],
    requires_second_factor: person?.requires_second_factor ?? false,
  });
  const peopleAnew = async () => {
    await readAnew(client, keys.people);
    await readAnew(client, keys.audit);
  };
  const keep = createMutation(() => ({
    mutationFn: (version: string) => {
      const { name, password, role, requires_second_factor } = form;
      const tenant_ids = ofTenants(role) ? form.tenant_ids : [];
      const wanted = { role, tenant_ids, requires_second_factor };
      return person
        ? changePerson(person.id, version, { ...wanted, ...(password ? { password } : {}) })
        : addPerson({ name, password, ...wanted });
    },
    onSuccess: async (kept: Person) => {
      form.password = '';
      await peopleAnew();
      if (!person) await setQuery('person', String(kept.id));
    },
  }));
  const service = createMutation(() => ({
    mutationFn: () =>
      changePerson(person?.id ?? 0, person?.version ?? '', { is_active: !person?.is_active }),
    onSuccess: peopleAnew,
  }));
  const dropFactor = createMutation(() => ({
    mutationFn: () =>
      changePerson(person?.id ?? 0, person?.version ?? '', { drops_second_factor: true }),
    onSuccess: peopleAnew,
  }));
  const refusal = $derived(asRefusal(keep.error));
  const flip = (id: number) => {
    form.tenant_ids = form.tenant_ids.includes(id)
      ? form.tenant_ids.filter((one) => one !== id)
      : [...form.tenant_ids, id];
  };
</script>

<form
  class="flex flex-col gap-2"
  onsubmit={(event) => {
    event.preventDefault();
    keep.mutate(person?.version ?? '');
  }}
>
  <h2 class="water">{person ? person.name : 'A new person'}</h2>
  {#if !person}
    <Field
      label="Name"
      autocomplete="off"
      bind:value={form.name}
      fault={refusal?.of('name')}
      required
    />
  {/if}
  <Label class="text-ink-soft"
    >Role<Pick
      class="mt-0.5"
      label="role"
      value={form.role}
      items={roleItems}
      onpick={(role) => (form.role = role as Role)}
    /></Label
  >
  <p class="text-ink-soft">{mayOf(form.role)}</p>
  {#if ofTenants(form.role)}
    <fieldset>
      <legend class="text-ink-soft">Own tenants</legend>
      {#each tenants as tenant (tenant.id)}
        <Checkbox
          checked={form.tenant_ids.includes(tenant.id)}
          onchange={() => flip(tenant.id)}
          class="py-0.5 text-sm text-ink">{tenant.name}</Checkbox
        >
      {:else}
        <p>No feed has told of a tenant yet.</p>
      {/each}
    </fieldset>
  {/if}
  <Field
    label={person ? 'New password' : 'Password'}
    type="password"
    placeholder={person ? 'as it is' : ''}
    autocomplete="new-password"
    bind:value={form.password}
    fault={refusal?.of('password')}
    required={!person}
  />
  <p class="text-ink-soft">
    {person
      ? 'A new password ends their sessions and tokens; they choose their own at the next sign-in.'
      : 'It lets them in once: they choose their own first.'}
  </p>
  <Checkbox bind:checked={form.requires_second_factor} class="py-0.5 text-sm text-ink"
    >must have a second factor{person?.has_second_factor ? ', and has one' : ''}</Checkbox
  >
  <Clash
    error={keep.error}
    onreplace={(version) => keep.mutate(version)}
    told={(stands) => `They are ${stands.role}${stands.is_active ? '' : ', out of service'} now.`}
  />
  {#if keep.isSuccess}<p role="status">Kept; it holds from their next request on.</p>{/if}
  <div class="flex gap-2">
    <Button size="xs" type="submit" disabled={keep.isPending}>{person ? 'keep' : 'add'}</Button>
    {#if person && !isOneself}
      <Button
        size="xs"
        color="alternative"
        disabled={service.isPending}
        onclick={() => service.mutate()}
        >{person.is_active ? 'take out of service' : 'back into service'}</Button
      >
    {/if}
  </div>
  {#if person?.has_second_factor && !isOneself}
    <button
      type="button"
      class="text-left underline"
      disabled={dropFactor.isPending}
      onclick={() => dropFactor.mutate()}>take a lost generator off</button
    >
  {/if}
  {#if dropFactor.error}<p class="text-signal" role="alert">{dropFactor.error.message}</p>{/if}
  {#if service.error}<p class="text-signal" role="alert">{service.error.message}</p>{/if}
  {#if person}
    <button
      type="button"
      class="mt-2 text-left underline"
      onclick={() => void setQuery('by', person.name)}>what {person.name} wrote</button
    >
  {/if}
</form>
