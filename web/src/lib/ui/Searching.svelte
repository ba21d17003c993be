<script lang="ts">
  // What takes seconds to work out: for how long by now, and a way not to wait for it.
  interface Props {
    of: string;
    onstop: () => void;
  }
  let { of, onstop }: Props = $props();
  const SECOND_MS = 1_000;
  let seconds = $state(0);
  $effect(() => {
    const timer = setInterval(() => (seconds += 1), SECOND_MS);
    return () => clearInterval(timer);
  });
</script>

<p aria-busy="true" class="text-ink-soft">
  looking for {of} … <span class="figures">{seconds > 0 ? `${seconds} s` : ''}</span>
  <button type="button" class="ml-2 text-depth-5 underline" onclick={onstop}>stop</button>
</p>
