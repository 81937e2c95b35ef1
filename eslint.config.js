import js from '@eslint/js';
import globals from 'globals';

export default [
  { ignores: ['web/script/vendor/**'] },
  js.configs.recommended,
  {
    files: ['web/script/**/*.js'],
    languageOptions: { ecmaVersion: 2024, sourceType: 'module', globals: globals.browser },
    rules: {
      'no-unused-vars': ['error', { argsIgnorePattern: '^_', caughtErrors: 'none', ignoreRestSiblings: true }],
      'no-empty': ['error', { allowEmptyCatch: true }],
      eqeqeq: ['error', 'always', { null: 'ignore' }],
      'prefer-const': 'error',
      'no-var': 'error',
    },
  },
  {
    files: ['web/script/service-worker.js'],
    languageOptions: { globals: { ...globals.serviceworker, VERSION: 'readonly', FILES: 'readonly' } },
  },
];
