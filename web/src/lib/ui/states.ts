/** Tints of states, one set for every glyph, strip, bar, date and line. */
const ATTENTION = {
  clear: 'depth-4',
  caution: 'shoal',
  urgent: 'signal',
  over: 'over',
  unread: 'ink-soft',
} as const;
const FEED = {
  fresh: 'depth-4',
  late: 'shoal',
  failing: 'signal',
  paused: 'ink-soft',
} as const;
const RUN = {
  queued: 'plan',
  running: 'plan',
  failed: 'signal',
  interrupted: 'shoal',
} as const;
const SERVED = {
  within: 'ink-soft',
  held: 'shoal',
  starved: 'signal',
  untiered: 'ink-soft',
} as const;
const KEPT = {
  met: 'depth-4',
  broken: 'signal',
  settling: 'plan',
  unproven: 'ink-soft',
  exempt: 'ink-soft',
} as const;
const ALL: Record<string, string> = { ...ATTENTION, ...FEED, ...RUN, ...SERVED, ...KEPT };
// Written out, since Tailwind makes only the classes that it reads.
const TEXT: Record<string, string> = {
  'depth-4': 'text-depth-4',
  shoal: 'text-shoal',
  signal: 'text-signal',
  over: 'text-over',
  'ink-soft': 'text-ink-soft',
  plan: 'text-plan',
};
const FILL: Record<string, string> = {
  'depth-4': 'fill-depth-4',
  shoal: 'fill-shoal',
  signal: 'fill-signal',
  over: 'fill-over',
  'ink-soft': 'fill-ink-soft',
  plan: 'fill-plan',
};

/** The tint of a drawing of this state. */
export function drawn(state: string): string {
  return TEXT[ALL[state] ?? 'ink-soft'] ?? '';
}

/** The tint of words about it: what is clear or fresh asks for none. */
export function worded(state: string): string {
  return state === 'clear' || state === 'fresh' || !(state in ALL) ? '' : drawn(state);
}

export function filled(state: string): string {
  return FILL[ALL[state] ?? 'ink-soft'] ?? '';
}
