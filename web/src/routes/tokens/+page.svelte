<script lang="ts">
  import Tokens from '$lib/features/people/Tokens.svelte';
</script>

<Tokens />
