export interface Fault {
  pointer: string;
  detail: string;
}

interface Facts {
  status: number;
  title: string;
  detail: string;
  faults?: Fault[];
}

/** What the server said no with. */
export class Refusal extends Error {
  readonly status: number;
  readonly title: string;
  readonly detail: string;
  readonly faults: Fault[];

  constructor(facts: Facts) {
    super(facts.detail);
    this.status = facts.status;
    this.title = facts.title;
    this.detail = facts.detail;
    this.faults = facts.faults ?? [];
  }

  /** What is wrong with one field, if anything. */
  of(field: string): string | undefined {
    return this.faults.find((fault) => fault.pointer === `#/${field}`)?.detail;
  }
}

export function refusalOf(status: number, body: unknown): Refusal {
  const problem = (typeof body === 'object' && body !== null ? body : {}) as Record<
    string,
    unknown
  >;
  return new Refusal({
    status,
    title: typeof problem.title === 'string' ? problem.title : `Error ${status}`,
    detail:
      typeof problem.detail === 'string'
        ? problem.detail
        : 'The server failed on this. It is logged; try again, and report it if it stays.',
    faults: Array.isArray(problem.errors) ? (problem.errors as Fault[]) : [],
  });
}
