import js from '@eslint/js';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';

const FEATURES = [
  'compliance',
  'estate',
  'feeds',
  'people',
  'scenarios',
  'session',
  'thing',
  'today',
];

export default ts.config(
  { ignores: ['build/', '.svelte-kit/', 'src/lib/api/schema.d.ts'] },
  js.configs.recommended,
  ...ts.configs.strict,
  ...svelte.configs.recommended,
  { languageOptions: { globals: { ...globals.browser } } },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: { parserOptions: { parser: ts.parser } },
  },
  {
    files: ['src/**/*.{ts,svelte}'],
    rules: {
      'no-undef': 'off', // TypeScript knows better
      'no-restricted-imports': ['error', { paths: ['svelte/store'] }],
      'no-restricted-syntax': [
        'error',
        { selector: 'Literal[value=/^#[0-9a-fA-F]{3,8}$/]', message: 'Colours are tokens.' },
        { selector: "SvelteAttribute[key.name='style']", message: 'No style attributes.' },
        { selector: 'SvelteLiteral[value=/\\[[0-9#]/]', message: 'No bracketed values.' },
      ],
      // One router, no base path: plain hrefs and gotos are what the URL bar shows.
      'svelte/no-navigation-without-resolve': 'off',
    },
  },
  {
    files: ['src/**/*.ts'],
    ignores: ['src/lib/ui/**', 'src/**/*.test.ts'],
    rules: {
      '@typescript-eslint/no-magic-numbers': [
        'error',
        { ignore: [-1, 0, 1, 2, 100], ignoreTypeIndexes: true, enforceConst: true },
      ],
    },
  },
  ...FEATURES.map((feature) => ({
    files: [`src/lib/features/${feature}/**`],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          paths: ['svelte/store'],
          patterns: FEATURES.filter((other) => other !== feature).map(
            (other) => `**/features/${other}/**`,
          ),
        },
      ],
    },
  })),
);
