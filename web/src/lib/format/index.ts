export { formatAmount, metricName } from './amounts';
export { axisUnit, exactBytes, formatBytes, parseBytes } from './bytes';
export { clock, UTC } from './clock.svelte';
export {
  addDays,
  daysUntil,
  formatAge,
  formatDay,
  formatMoment,
  formatRunway,
  formatSeconds,
  formatWeekTime,
  todayIso,
} from './dates';
export { aKind, counted, kindWord } from './kinds';
export { BEYOND, limitDate, limitRange, limitShare, NO_END } from './limits';
export { fullName } from './names';
export { formatCount, formatPercent } from './numbers';
export { preferences } from './preferences.svelte';
