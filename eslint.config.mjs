import angular from 'angular-eslint';
import tseslint from 'typescript-eslint';

/** Floors: core and contract import neither floor above; the web knows the server only through the contract. */
const floor = (files, forbidden, message) => ({
  files,
  rules: { 'no-restricted-imports': ['error', { patterns: [{ group: forbidden, message }] }] },
});

export default tseslint.config(
  {
    ignores: ['**/dist/**', '**/node_modules/**', '**/.angular/**', 'data/**', 'test-results/**', 'playwright-report/**'],
  },
  {
    files: ['**/*.ts'],
    extends: [...tseslint.configs.recommended],
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/no-unused-expressions': ['error', { allowShortCircuit: true, allowTernary: true }],
      '@typescript-eslint/consistent-type-imports': ['error', { fixStyle: 'inline-type-imports' }],
      eqeqeq: ['error', 'always', { null: 'ignore' }],
    },
  },
  {
    files: ['core/**/*.ts', 'contract/**/*.ts', 'server/**/*.ts', 'standins/**/*.ts', 'demo/**/*.ts'],
    languageOptions: { parserOptions: { project: './tsconfig.json' } },
    rules: {
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/no-misused-promises': ['error', { checksVoidReturn: false }],
    },
  },
  {
    files: ['core/src/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-properties': [
        'error',
        { object: 'Date', property: 'now', message: 'The core has no clock: take the moment as an argument.' },
      ],
    },
  },
  floor(
    ['core/**/*.ts'],
    ['@nudrik/*', 'nudrik', 'express', 'pg', 'node:*', 'zod', '@angular/*', '**/server/**', '**/web/**'],
    'core is pure: it imports no floor, no framework and no I/O.',
  ),
  floor(
    ['contract/**/*.ts'],
    ['nudrik', 'express', 'pg', 'node:*', '@angular/*', '@nudrik/standins', '@nudrik/demo', '**/server/**', '**/web/**'],
    'contract imports the core and Zod alone.',
  ),
  floor(
    ['server/src/**/*.ts'],
    ['@nudrik/standins', '@nudrik/demo', '@angular/*', '**/web/**'],
    'the server knows neither the stand-ins, the demo nor the web.',
  ),
  floor(
    ['server/src/**/*.test.ts'],
    ['@nudrik/demo', '@angular/*', '**/web/**'],
    'tests of the server play what is outside by the stand-ins; they know neither the demo nor the web.',
  ),
  floor(
    ['web/src/**/*.ts'],
    ['nudrik', '@nudrik/standins', '@nudrik/demo', 'express', 'pg', 'node:*', '**/server/**'],
    'the web knows the server only through the contract.',
  ),
  {
    files: ['web/src/**/*.ts'],
    extends: [...angular.configs.tsRecommended],
    processor: angular.processInlineTemplates,
    rules: {
      '@angular-eslint/component-class-suffix': 'off',
      '@angular-eslint/component-selector': ['error', { type: 'element', prefix: 'nk', style: 'kebab-case' }],
    },
  },
  {
    files: ['web/src/**/*.html'],
    extends: [...angular.configs.templateRecommended, ...angular.configs.templateAccessibility],
    rules: {
      '@angular-eslint/template/click-events-have-key-events': 'off',
      '@angular-eslint/template/interactive-supports-focus': 'off',
      '@angular-eslint/template/label-has-associated-control': 'off',
    },
  },
);
