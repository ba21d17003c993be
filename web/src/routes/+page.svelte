<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { sessionQuery } from '$lib/api/queries';
  import OwnShare from '$lib/features/today/OwnShare.svelte';
  import Today from '$lib/features/today/Today.svelte';

  const session = createQuery(sessionQuery);
</script>

{#if session.data?.role === 'tenant viewer'}<OwnShare />{:else}<Today />{/if}
