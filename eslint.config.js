import js from '@eslint/js';
import boundaries from 'eslint-plugin-boundaries';
import reactHooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

/** Floors of the service, the lowest first: each uses those below it alone. `posts` and `graph` stand side by side. */
const FLOORS = [
  'ground',
  'ranking',
  'accounts',
  'notifications',
  'graph',
  'posts',
  'feed',
  'live',
  'workbench',
  'service',
];
const SIDE_BY_SIDE = { posts: 'graph' };
const belowOf = (floor) => FLOORS.slice(0, FLOORS.indexOf(floor)).filter((below) => below !== SIDE_BY_SIDE[floor]);

/** Dependencies point one way: console and command → client → (HTTP) → server → core. */
const MAY_USE = {
  ...Object.fromEntries(FLOORS.map((floor) => [floor, [...belowOf(floor), 'server', 'core']])),
  'words': [],
  'stand-ins': [],
  'core': ['words'],
  'service': [...belowOf('service'), 'server', 'core', 'stand-ins'],
  'server': [...FLOORS, 'core'],
  'client': [],
  // What is decided from values alone is decided alike everywhere: walks, and what is wrong with a call.
  'cli': ['client', 'server', 'core', 'words'],
  'console': ['client', 'core', 'words'],
};
const folderOf = (type) => (FLOORS.includes(type) ? `packages/server/src/${type}/**` : `packages/${type}/**`);
const RESOLVER = { typescript: { project: ['packages/*/tsconfig.json'], noWarnOnMultipleProjects: true } };

export default tseslint.config(
  {
    ignores: [
      '**/dist/**',
      '**/bundle/**',
      '**/node_modules/**',
      'packages/client/src/generated/**',
      '**/.gather-lane/**',
      '.bench/**',
      'coverage/**',
    ],
  },
  js.configs.recommended,
  ...tseslint.configs.recommended,
  {
    files: ['packages/*/src/**/*.{ts,tsx}'],
    ignores: ['packages/server/src/**/*.test.ts', 'packages/server/src/tests/**'],
    plugins: { boundaries },
    settings: {
      'boundaries/elements': Object.keys(MAY_USE).map((type) => ({
        type,
        pattern: folderOf(type),
        partialMatch: false,
      })),
      'import/resolver': RESOLVER,
    },
    rules: {
      'boundaries/dependencies': [
        'error',
        {
          default: 'disallow',
          policies: Object.entries(MAY_USE).map(([type, uses]) => ({
            from: { element: { type } },
            allow: { to: { element: { type: [type, ...uses] } } },
          })),
        },
      ],
    },
  },
  {
    // What others may use of a capability stands in files of its own: its statements, routes and trials are no such.
    files: ['packages/server/src/*/**/*.ts'],
    ignores: ['**/*.test.ts', '**/tests/**'],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          patterns: [
            {
              regex: '^\\.\\./.+/([a-z-]+-)?(queries|routes|ownership)\\.js$',
              message: 'A capability is entered by what it says to others, never by its statements or routes.',
            },
          ],
        },
      ],
    },
  },
  {
    rules: {
      '@typescript-eslint/no-unused-vars': [
        'error',
        { argsIgnorePattern: '^_', varsIgnorePattern: '^_', ignoreRestSiblings: true },
      ],
      '@typescript-eslint/no-explicit-any': 'error',
      'no-console': 'error',
      'eqeqeq': 'error',
    },
  },
  {
    files: ['scripts/**', '**/*.test.ts', '**/tests/**', 'bench/**', 'scale/**', 'examples/**'],
    rules: { 'no-console': 'off' },
    languageOptions: {
      globals: {
        console: 'readonly',
        performance: 'readonly',
        process: 'readonly',
        URL: 'readonly',
        fetch: 'readonly',
      },
    },
  },
  {
    // Starts without the loader of modules.
    files: ['packages/cli/bin/**'],
    languageOptions: { sourceType: 'commonjs', globals: { process: 'readonly', require: 'readonly' } },
    rules: { '@typescript-eslint/no-require-imports': 'off' },
  },
  { files: ['packages/console/src/**'], ...reactHooks.configs.flat.recommended },
);
