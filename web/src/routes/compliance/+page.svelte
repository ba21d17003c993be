<script lang="ts">
  import CompliancePage from '$lib/features/compliance/CompliancePage.svelte';
</script>

<CompliancePage />
