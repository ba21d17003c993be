<script lang="ts">
  import { page } from '$app/state';
  import PoolPage from '$lib/features/pool/PoolPage.svelte';
</script>

<!-- Another pool is another page: nothing drawn or typed goes over. -->
{#key page.params.id}
  <PoolPage poolId={Number(page.params.id)} />
{/key}
