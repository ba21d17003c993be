import { useQueryClient } from '@tanstack/svelte-query';
import { keys } from '$lib/api/queries';
import { toasts } from '$lib/ui/toasts.svelte';
import { scenarioQuery, type Scenario } from './queries';

/** One change of a scenario at a time; what it answers is what is shown from then on. */
export class Changing {
  error: Error | null = $state(null);
  isBusy = $state(false);
  #client = useQueryClient();

  /** Make a change; true if it was made. */
  async make(change: () => Promise<Scenario>, says = ''): Promise<boolean> {
    if (this.isBusy) return false;
    this.isBusy = true;
    this.error = null;
    try {
      const scenario = await change();
      this.#client.setQueryData(scenarioQuery(scenario.id).queryKey, scenario);
      // Whatever is read as this scenario is read anew.
      void this.#client.invalidateQueries({
        queryKey: keys.estate,
        predicate: (query) => query.queryKey[2] !== 'one',
      });
      if (says) toasts.tell(says);
      return true;
    } catch (error) {
      this.error = error instanceof Error ? error : new Error(String(error));
      return false;
    } finally {
      this.isBusy = false;
    }
  }

  /** Read it again: somebody else changed it. */
  async again(scenarioId: number) {
    this.error = null;
    await this.#client.invalidateQueries({ queryKey: scenarioQuery(scenarioId).queryKey });
  }
}
