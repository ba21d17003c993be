<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { moveKindsQuery } from '$lib/api/scenarios';
  import { addDays, formatDay } from '$lib/format';
  import { onSign } from '$lib/ui/keys.svelte';
  import Menu from '$lib/ui/Menu.svelte';
  import { carriesThings, movesFor, putting, thingsDropped } from '$lib/ui/put.svelte';
  import { writeQuery } from '$lib/url/bearing.svelte';
  import MoveForm from './MoveForm.svelte';
  import MoveRow from './MoveRow.svelte';
  import { byDay, putBefore } from './moves';
  import { plain, setMoves, type Move, type MoveWrite, type Scenario } from './queries';
  import type { Changing } from './scenario.svelte';

  /** The moves of a scenario by their days; one of them in its fields, or a new one. */
  interface Props {
    scenario: Scenario;
    changing: Changing;
    chosen: number | null;
  }
  let { scenario, changing, chosen }: Props = $props();
  const kinds = createQuery(moveKindsQuery);
  const moves = $derived(byDay(scenario.moves));
  const isOpen = $derived(scenario.may_change && scenario.state === 'draft');
  const asked = $derived(page.url.searchParams);
  const edited = $derived(moves.find((one) => String(one.number) === asked.get('edit')) ?? null);
  const added = $derived(kinds.data?.find((one) => one.kind === asked.get('add')) ?? null);
  const kind = $derived(
    edited ? (kinds.data?.find((one) => one.kind === edited.kind) ?? null) : added,
  );
  const brought = $derived(
    scenario.moves
      .filter((one) => one.number !== edited?.number)
      .flatMap((one) => (one.brings ? [one.brings] : [])),
  );
  let menu: HTMLElement | undefined = $state();
  // Things that were dragged here, until it is said what is to be done with them.
  let dropped: typeof putting.things = $state.raw([]);
  let isOver = $state(false);
  const fitting = $derived(movesFor(kinds.data ?? [], dropped));

  function drop(event: DragEvent) {
    isOver = false;
    const things = isOpen ? thingsDropped(event) : [];
    if (things.length === 0) return;
    event.preventDefault();
    dropped = things;
  }

  function begin(kind: string) {
    putting.things = dropped;
    dropped = [];
    void writeQuery({ add: kind, edit: null }, { isStep: true });
  }
  async function close() {
    putting.things = [];
    await writeQuery({ add: null, edit: null });
  }
  const titleOf = (move: Move) => move.title.map((part) => part.text ?? '').join('');

  onSign(
    'a',
    'adds a move',
    () => menu?.querySelector('button')?.click(),
    () => isOpen,
  );

  const write = (told: MoveWrite[], what: string) =>
    changing.make(() => setMoves(scenario, told, what));

  async function save(move: MoveWrite) {
    const others = plain(scenario.moves);
    const told = edited
      ? others.map((one) => (one.number === edited.number ? move : one))
      : [...others, move];
    const what = edited ? `${titleOf(edited)} changed` : `${kind?.title ?? 'a move'} put in`;
    if (await write(told, what)) await close();
  }
  const change = (move: Move, more: Partial<MoveWrite>, what: string) =>
    write(
      plain(scenario.moves).map((one) => (one.number === move.number ? { ...one, ...more } : one)),
      `${titleOf(move)} ${what}`,
    );
  const out = (move: Move) =>
    write(
      plain(scenario.moves).filter((one) => one.number !== move.number),
      `${titleOf(move)} taken out`,
    );
</script>

{#if kind}
  <div class="px-4 py-2">
    {#key `${kind.kind}.${edited?.number ?? ''}`}
      <MoveForm
        {kind}
        move={edited}
        put={putting.things}
        {brought}
        error={changing.error}
        isBusy={changing.isBusy}
        onsave={(move) => void save(move)}
        onclose={() => void close()}
      />
    {/key}
  </div>
{:else}
  <div
    role="group"
    aria-label="Moves, and what is dragged onto them"
    class={[isOver && 'outline-2 -outline-offset-2 outline-plan outline-dashed']}
    ondragover={(event) => {
      if (!isOpen || !carriesThings(event)) return;
      event.preventDefault();
      isOver = true;
    }}
    ondragleave={() => (isOver = false)}
    ondrop={drop}
  >
    <ol aria-label="Moves">
      {#each moves as move (move.number)}
        <MoveRow
          {move}
          isChosen={move.number === chosen}
          mayChange={isOpen}
          onpick={() =>
            void writeQuery(
              { move: move.number === chosen ? null : String(move.number) },
              { isStep: true },
            )}
          onedit={() => void writeQuery({ edit: String(move.number) }, { isStep: true })}
          ontoggle={() =>
            void change(
              move,
              { is_off: !move.is_off },
              move.is_off ? 'switched on' : 'switched off',
            )}
          ondrop={() => void out(move)}
          onshift={(days) =>
            void change(
              move,
              { on: addDays(move.on, days) },
              `moved to ${formatDay(addDays(move.on, days))}`,
            )}
          onput={(number) =>
            void write(putBefore(plain(moves), number, move.number), `put before ${titleOf(move)}`)}
        />
      {:else}
        <li class="px-4 py-2 text-ink-soft">
          No moves yet. Each has a day and changes something: work comes, bytes are freed or
          migrated, a pool is extended. What follows stands at the right at once.
        </li>
      {/each}
    </ol>
    {#if dropped.length > 0}
      <section
        class="border border-plan bg-paper px-4 py-2"
        aria-label="What is to be done with it"
      >
        <p class="font-semibold text-plan">{dropped.map((one) => one.name).join(', ')}</p>
        {#each fitting as one (one.kind)}
          <button
            class="block w-full text-left hover:underline"
            title={one.about}
            onclick={() => begin(one.kind)}>{one.title}</button
          >
        {/each}
        <button class="pt-1 text-ink-soft underline" onclick={() => (dropped = [])}>nothing</button>
      </section>
    {/if}
    {#if isOpen}
      <div class="px-4 pt-2" bind:this={menu}>
        <Menu
          label="Add a move"
          shown="add a move"
          class="left-0 right-auto w-64"
          buttonClass="border border-rule px-2 text-ink"
        >
          {#snippet children(shut)}
            {#each kinds.data ?? [] as one (one.kind)}
              <button
                class="block w-full text-left hover:underline"
                title={one.about}
                onclick={() => {
                  shut();
                  void writeQuery({ add: one.kind, edit: null }, { isStep: true });
                }}>{one.title}</button
              >
            {/each}
          {/snippet}
        </Menu>
      </div>
    {/if}
  </div>
{/if}
