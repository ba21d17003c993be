import { addDays, todayIso } from '$lib/format';

const YEAR_DAYS = 365;

/** What was pasted or read from a file; it stays while other screens are looked at. */
export const several = $state({
  text: '',
  file: 'what was pasted',
  until: addDays(todayIso(), YEAR_DAYS),
});

export const EXAMPLE = `name\tVMs\tCPUs\tmemory\tdisks\twritten %\tgrowth a week\tbusy IOPS
sonar-ingest\t24\t4\t16 GiB\t1.2 TiB\t40\t9 GiB\t380
chart-cache\t6\t8\t64 GiB\t200 GiB + 600 GiB\t70\t2 GiB\t900`;
