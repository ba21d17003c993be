import type { Schemas } from '$lib/api/client';
import type { ChartTheme } from '$lib/ui/chart/theme';
import type { Course, Plan } from './course';

export type Point = [string, number | null];

/** What the soundings are drawn of. */
export interface Facts {
  course: Course;
  series: Schemas['SoundingsRead'];
  forecast: Schemas['StandingRead'];
  aheadDays: number;
  plan: Plan | null;
  theme: ChartTheme;
}

export type Undrawn = Omit<Facts, 'theme'>;

/** How lines are broken and tags are set, wherever they stand. */
const [DASH_PX, GAP_PX] = [9, 5];
export const LONG_DASH = [DASH_PX, GAP_PX];
export const DOTS = [2, 2];
export const SMALL_FONT_SIZE = 11;
export const TAG = { distance: 3, padding: [2, GAP_PX], lineHeight: 14, fontSize: SMALL_FONT_SIZE };
