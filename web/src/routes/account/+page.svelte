<script lang="ts">
  import Account from '$lib/features/session/Account.svelte';
</script>

<Account />
