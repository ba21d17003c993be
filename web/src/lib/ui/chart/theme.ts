/** The tokens as ECharts wants them: read anew whenever the theme changes. */
export interface ChartTheme {
  ink: string;
  inkSoft: string;
  rule: string;
  paper: string;
  raised: string;
  fan: string;
  fanOuter: string;
  caution: string;
  limit: string;
  land: string;
  depth: string;
  plan: string;
  font: string;
}

export function chartTheme(): ChartTheme {
  const style = getComputedStyle(document.documentElement);
  const token = (name: string) => style.getPropertyValue(name).trim();
  return {
    ink: token('--color-ink'),
    inkSoft: token('--color-ink-soft'),
    rule: token('--color-rule'),
    paper: token('--color-paper'),
    raised: token('--color-paper-raised'),
    fan: token('--color-depth-3'),
    fanOuter: token('--color-depth-2'),
    caution: token('--color-shoal'),
    limit: token('--color-signal'),
    land: token('--color-land'),
    depth: token('--color-depth-5'),
    plan: token('--color-plan'),
    font: token('--font-sans'),
  };
}
