/** Something that was done, and how to take it back. */
export interface Told {
  id: number;
  says: string;
  undo: (() => Promise<unknown>) | null;
}

const SHOWN_MS = 10_000;

class Toasts {
  list = $state.raw<Told[]>([]);
  #last = 0;

  tell(says: string, undo: (() => Promise<unknown>) | null = null) {
    const told = { id: ++this.#last, says, undo };
    this.list = [...this.list, told];
    setTimeout(() => this.drop(told.id), SHOWN_MS);
  }

  drop(id: number) {
    this.list = this.list.filter((one) => one.id !== id);
  }
}

export const toasts = new Toasts();
