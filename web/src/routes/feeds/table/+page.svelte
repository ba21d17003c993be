<script lang="ts">
  import SendTable from '$lib/features/feeds/SendTable.svelte';
</script>

<SendTable />
