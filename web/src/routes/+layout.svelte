<script lang="ts">
  import '../app.css';
  import { QueryCache, QueryClient, QueryClientProvider } from '@tanstack/svelte-query';
  import type { Snippet } from 'svelte';
  import { MediaQuery } from 'svelte/reactivity';
  import { keys } from '$lib/api/queries';
  import { Refusal } from '$lib/api/refusal';
  import { preferences } from '$lib/format';
  import { placeNow, returnTo, type Place } from '$lib/ui/place';
  import Frame from '$lib/features/session/Frame.svelte';

  interface Props {
    children: Snippet;
  }
  let { children }: Props = $props();

  const MOST_RETRIES = 30;
  const RETRY_MS = 2000;
  const STALE_MS = 5000;
  // The server away or its database away passes by itself; any other refusal is an answer.
  const passes = (error: Error) =>
    error instanceof Refusal && (error.status === 0 || error.status === 503);
  // A session that has ended shows at the first question refused: ask who is signed in.
  const queryCache = new QueryCache({
    onError: (error) => {
      if (error instanceof Refusal && (error.status === 401 || error.status === 403))
        void client.invalidateQueries({ queryKey: keys.session });
    },
  });
  const client: QueryClient = new QueryClient({
    queryCache,
    defaultOptions: {
      queries: {
        staleTime: STALE_MS,
        // Told of every change: tracking which properties were read lost some updates.
        notifyOnChangeProps: 'all',
        retry: (n, error) => passes(error) && n < MOST_RETRIES,
        retryDelay: RETRY_MS,
      },
    },
  });
  export const snapshot = { capture: placeNow, restore: (place: Place) => returnTo(place) };

  const prefersDark = new MediaQuery('prefers-color-scheme: dark');
  const theme = $derived(
    preferences.theme === 'system' ? (prefersDark.current ? 'night' : 'day') : preferences.theme,
  );
  $effect(() => {
    document.documentElement.dataset.theme = theme;
  });
</script>

<QueryClientProvider {client}>
  <Frame>{@render children()}</Frame>
</QueryClientProvider>
