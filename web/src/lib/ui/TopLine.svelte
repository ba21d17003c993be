<script lang="ts">
  import { page } from '$app/state';
  import { bearing } from '$lib/url/bearing.svelte';
  import JumpBox from './JumpBox.svelte';
  import Logo from './Logo.svelte';
  import PersonMenu from './PersonMenu.svelte';

  interface Props {
    person: string;
    rights: string[];
    onsignout: () => void;
  }
  let { person, rights, onsignout }: Props = $props();

  const SECTIONS = [
    { name: 'Today', path: '/', also: [] as string[], needs: 'read' },
    { name: 'Estate', path: '/estate', also: ['/estate', '/pools', '/things'], needs: 'read' },
    { name: 'Compliance', path: '/compliance', also: ['/compliance'], needs: 'read' },
    {
      name: 'Scenarios',
      path: '/scenarios',
      also: ['/scenarios', '/try', '/allotments', '/prices'],
      needs: 'read feeds',
    },
    { name: 'Feeds', path: '/feeds', also: ['/feeds'], needs: 'read feeds' },
  ];
  // Who sees their own tenants alone finds no scenarios, but what may be made out of allotments.
  const ALLOTMENTS = {
    name: 'Allotments',
    path: '/allotments',
    also: ['/allotments'],
    needs: 'provision',
  };
  const own = $derived(
    [...SECTIONS, ...(rights.includes('read feeds') ? [] : [ALLOTMENTS])].filter((section) =>
      rights.includes(section.needs),
    ),
  );
  const isHere = (section: { path: string; also: string[] }) =>
    page.url.pathname === section.path ||
    section.also.some((path) => page.url.pathname.startsWith(path));
</script>

<header
  class="top-line flex min-w-0 items-center gap-6 border-b max-lg:gap-3 border-rule bg-paper-raised px-4"
>
  <a href={bearing.href('/')} class="flex items-center gap-2.5 text-lg whitespace-nowrap">
    <Logo />
    Keel Mark
  </a>
  <nav class="flex gap-5 text-base" aria-label="Sections">
    {#each own as section (section.name)}
      <a
        href={bearing.href(section.path)}
        aria-current={isHere(section) ? 'page' : undefined}
        class={isHere(section) ? 'font-semibold' : 'text-ink-soft hover:text-ink'}>{section.name}</a
      >
    {/each}
  </nav>
  <div class="ml-auto flex items-center gap-5">
    <JumpBox {rights} />
    <PersonMenu {person} {rights} {onsignout} />
  </div>
</header>
