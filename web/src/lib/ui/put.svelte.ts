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
