<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import Dialog from '$lib/ui/Dialog.svelte';
  import { readAnew } from '$lib/api/anew';
  import { keys } from '$lib/api/queries';
  import SignInForm from './SignInForm.svelte';

  /** A session that ended: what is on the screen and what was typed stays behind it. */
  interface Props {
    name: string;
    onother: () => void;
  }
  let { name, onother }: Props = $props();
  const client = useQueryClient();
  const isOpen = true;
</script>

<Dialog open={isOpen} dismissable={false} title="Your session has ended">
  <p>Nothing on this screen is lost. Sign in again as {name} and go on.</p>
  <SignInForm
    {name}
    onsignedin={(session) => {
      client.setQueryData(keys.session, session);
      void readAnew(client);
    }}
  />
  <!-- Last, so that a key meant for what lay below cannot end up on it. -->
  <button class="text-depth-5 underline" onclick={onother}>I am somebody else</button>
</Dialog>
