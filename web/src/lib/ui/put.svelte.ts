import type { Schemas } from '$lib/api/client';

/** Things on their way from a screen into a move of a scenario. */
export interface PutThing {
  id: number;
  kind: string;
  name: string;
}

class Putting {
  things: PutThing[] = $state.raw([]);
}

export const putting = new Putting();

/** The moves that take some things: all of them in one field, where they are several. */
export function movesFor(kinds: Schemas['MoveKindRead'][], things: PutThing[]) {
  return kinds.filter((one) =>
    one.asks.some(
      (ask) =>
        (things.length === 1 || ask.form === 'things') &&
        things.length > 0 &&
        things.every((thing) => ask.kinds.includes(thing.kind)),
    ),
  );
}

const CARRIED = 'application/x-things';

/** Has things go along with what is dragged. */
export function carry(event: DragEvent, things: PutThing[]): void {
  event.dataTransfer?.setData(CARRIED, JSON.stringify(things));
}

export function carriesThings(event: DragEvent): boolean {
  return event.dataTransfer?.types.includes(CARRIED) ?? false;
}

/** The things that were dropped; none where something else was, of this or any other program. */
export function thingsDropped(event: DragEvent): PutThing[] {
  try {
    const told: unknown = JSON.parse(event.dataTransfer?.getData(CARRIED) ?? '');
    return Array.isArray(told) ? told.filter(isThing) : [];
  } catch {
    return [];
  }
}

function isThing(told: unknown): told is PutThing {
  const one = (typeof told === 'object' && told !== null ? told : {}) as Record<string, unknown>;
  return Number.isInteger(one.id) && typeof one.kind === 'string' && typeof one.name === 'string';
}
