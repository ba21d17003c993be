export { axisUnit, exactBytes, formatBytes, parseBytes } from './bytes';
export {
  addDays,
  daysUntil,
  formatAge,
  formatDay,
  formatMoment,
  formatRunway,
  formatSeconds,
  todayIso,
} from './dates';
export { counted } from './kinds';
export { preferences } from './preferences.svelte';
