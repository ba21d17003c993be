export { formatAmount, metricName } from './amounts';
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
export { limitDate, limitShare } from './limits';
export { fullName } from './names';
export { preferences } from './preferences.svelte';
