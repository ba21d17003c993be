<script lang="ts">
  import OwnPassword from './OwnPassword.svelte';
  import SecondFactor from './SecondFactor.svelte';

  /** What must be done before anything else. */
  interface Props {
    mustChangePassword: boolean;
    onsignout: () => void;
  }
  let { mustChangePassword, onsignout }: Props = $props();
</script>

<svelte:head><title>First things · Keel Mark</title></svelte:head>
<main class="mx-auto flex min-h-dvh max-w-lg flex-col justify-center gap-4 p-6">
  {#if mustChangePassword}
    <h1 class="water">Choose your own password</h1>
    <p>The one of now was set by somebody else, so it lets you do nothing but this.</p>
    <OwnPassword />
  {:else}
    <h1 class="water">Set up your generator of codes</h1>
    <p>An administrator asks you for a second factor; this is done once.</p>
    <SecondFactor />
  {/if}
  <p><button class="text-depth-5 underline" onclick={onsignout}>sign out</button></p>
</main>
