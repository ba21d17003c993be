/** A screen or an action that the jump box goes to. */
export interface Screen {
  name: string;
  path: string;
  about: string;
  needs: string; // the right
}

export const SCREENS: Screen[] = [
  { name: 'Today', path: '/', about: 'what ends first, what changed', needs: 'read' },
  { name: 'Strata', path: '/estate', about: 'where the bytes lie', needs: 'read' },
  { name: 'List', path: '/estate?view=list', about: 'everything of a kind', needs: 'read' },
  { name: 'Area', path: '/estate?view=area', about: 'bytes in groups of groups', needs: 'read' },
  { name: 'Coast', path: '/estate?view=coast', about: 'the sites', needs: 'read' },
  {
    name: 'Largest and fastest',
    path: '/estate?view=largest',
    about: 'who holds and who grows most',
    needs: 'read',
  },
  { name: 'Compliance', path: '/compliance', about: 'which promises are broken', needs: 'read' },
  {
    name: 'Scenarios',
    path: '/scenarios',
    about: 'what if: plans side by side',
    needs: 'read feeds',
  },
  {
    name: 'Where new work goes',
    path: '/try',
    about: 'who takes it, what stops it',
    needs: 'plan',
  },
  {
    name: 'Where objects go',
    path: '/try/objects',
    about: 'buckets, tiers and their quotas',
    needs: 'plan',
  },
  {
    name: 'Allotments',
    path: '/allotments',
    about: 'what teams may provision themselves',
    needs: 'read',
  },
  {
    name: 'Prices',
    path: '/prices',
    about: 'what bytes cost, by service class',
    needs: 'read feeds',
  },
  { name: 'Feeds', path: '/feeds', about: 'who tells us, and how late', needs: 'read feeds' },
  {
    name: 'Findings',
    path: '/feeds/findings',
    about: 'what does not fit, and who waits',
    needs: 'read feeds',
  },
  {
    name: 'Send a table',
    path: '/feeds/table',
    about: 'CSV, XLSX, Parquet',
    needs: 'manage feeds',
  },
  {
    name: 'Your account',
    path: '/account',
    about: 'password, second factor',
    needs: 'own account',
  },
  { name: 'People and the log', path: '/people', about: 'who may what', needs: 'read audit' },
];
