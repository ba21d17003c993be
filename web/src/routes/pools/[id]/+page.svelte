<script lang="ts">
  import { page } from '$app/state';
  import PoolPage from '$lib/features/pool/PoolPage.svelte';
</script>

<PoolPage poolId={Number(page.params.id)} />
