<script lang="ts">
  import { page } from '$app/state';
</script>

<div class="p-8">
  <h1 class="water">Nothing is at {page.url.pathname}</h1>
  <p class="mt-1 max-w-prose">
    The address may be cut off, or what was there has been retired. <a
      href="/"
      class="text-depth-5 underline">Today</a
    > has every pool; the jump box (/) finds one by name.
  </p>
</div>
