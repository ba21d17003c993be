export interface Fault {
  pointer: string;
  detail: string;
}

interface Facts {
  status: number;
  title: string;
  detail: string;
  kind?: string;
  faults?: Fault[];
  stands?: Record<string, unknown> | null;
}

/** What the server said no with. */
export class Refusal extends Error {
  readonly status: number;
  readonly title: string;
  readonly detail: string;
  readonly kind: string; // last word of its type: password-wanted, changed-meanwhile …
  readonly faults: Fault[];
  readonly stands: Record<string, unknown> | null; // what somebody else put there meanwhile

  constructor(facts: Facts) {
    super(facts.detail);
    this.status = facts.status;
    this.title = facts.title;
    this.detail = facts.detail;
    this.kind = facts.kind ?? '';
    this.faults = facts.faults ?? [];
    this.stands = facts.stands ?? null;
  }

  /** What is wrong with one field, if anything. */
  of(field: string): string | undefined {
    return this.faults.find((fault) => fault.pointer === `#/${field}`)?.detail;
  }

  /** The version to name for writing over what somebody else changed. */
  get standing(): string | null {
    return typeof this.stands?.version === 'string' ? this.stands.version : null;
  }
}

/** The refusal behind an error, if it is one. */
export function asRefusal(error: unknown): Refusal | null {
  return error instanceof Refusal ? error : null;
}

const BAD_REQUEST = 400;

/** Whether what was asked for cannot be read: a scope, a day, a scenario. */
export function isAskedWrong(error: unknown): boolean {
  return asRefusal(error)?.status === BAD_REQUEST;
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
    kind: typeof problem.type === 'string' ? problem.type.replace('/problems/', '') : '',
    faults: Array.isArray(problem.errors) ? (problem.errors as Fault[]) : [],
    stands: typeof problem.stands === 'object' ? (problem.stands as Record<string, unknown>) : null,
  });
}
