import js from '@eslint/js';
import boundaries from 'eslint-plugin-boundaries';
import reactHooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

/** Dependencies point one way: console and command → client → (HTTP) → server → core. */
const MAY_USE = {
  core: [],
  server: ['core'],
  client: [],
  cli: ['client', 'server'],
  console: ['client'],
};

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
    plugins: { boundaries },
    settings: {
      'boundaries/elements': Object.keys(MAY_USE).map((type) => ({
        type,
        pattern: `packages/${type}/**`,
        partialMatch: false,
      })),
      'import/resolver': { typescript: { project: ['packages/*/tsconfig.json'], noWarnOnMultipleProjects: true } },
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
    files: ['packages/*/src/**/*.{ts,tsx}'],
    ignores: ['**/*.test.ts', '**/tests/**'],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: {
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/no-misused-promises': ['error', { checksVoidReturn: { attributes: false } }],
      '@typescript-eslint/await-thenable': 'error',
      '@typescript-eslint/no-unnecessary-type-assertion': 'error',
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
    files: ['scripts/**', '**/*.test.ts', '**/tests/**', 'bench/**', 'examples/**'],
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
  { files: ['packages/console/src/**'], ...reactHooks.configs.flat.recommended },
);
