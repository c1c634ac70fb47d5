import js from '@eslint/js';
import prettier from 'eslint-config-prettier';
import importX from 'eslint-plugin-import-x';
import nextConfig from 'eslint-config-next';
import tseslint from 'typescript-eslint';

/** Dependencies point down only: what a room may import of the others. */
const ROOMS = {
  core: [],
  'stand-ins': [],
  gateway: ['core'],
  studio: ['core'],
  demo: ['core', 'stand-ins', 'studio'],
  command: ['core', 'gateway', 'demo', 'studio'],
  e2e: ['core', 'demo', 'stand-ins'],
  bench: ['core', 'gateway', 'stand-ins', 'demo', 'e2e'],
};

const directions = Object.entries(ROOMS).map(([room, allowed]) => {
  const others = Object.keys(ROOMS).filter((r) => r !== room && !allowed.includes(r));
  return {
    files: [`${room}/**/*.{ts,tsx}`],
    ignores: ['**/test/**'],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          paths:
            room === 'core'
              ? ['react', 'react-dom', 'next'].map((name) => ({ name, message: 'core has no interface code' }))
              : [],
          patterns: [
            ...others.map((r) => ({
              group: [`@hinge/${r}`, `@hinge/${r}/*`, `**/../${r}/**`],
              message: `${room} may not import ${r}: dependencies point down (DESIGN, the building)`,
            })),
            ...(room === 'core' ? [{ group: ['node:*', '@mui/*', 'undici', 'pg'], message: 'core does no I/O' }] : []),
          ],
        },
      ],
    },
  };
});

export default tseslint.config(
  {
    ignores: [
      '**/node_modules/**',
      '**/.next/**',
      '**/dist/**',
      '.hinge/**',
      'studio/next-env.d.ts',
      'studio/db/migrations/**',
    ],
  },
  js.configs.recommended,
  ...tseslint.configs.recommended,
  ...nextConfig.map((c) => ({ ...c, files: ['studio/**/*.{ts,tsx}'] })),
  {
    files: ['**/*.{ts,tsx}'],
    plugins: { 'import-x': importX },
    settings: {
      'import-x/extensions': ['.ts', '.tsx'],
      'import-x/parsers': { '@typescript-eslint/parser': ['.ts', '.tsx'] },
      'import-x/resolver': { node: { extensions: ['.ts', '.tsx', '.js', '.mjs'] } },
    },
    rules: {
      'import-x/no-cycle': ['error', { ignoreExternal: true }],
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/consistent-type-imports': ['error', { disallowTypeAnnotations: false }],
      'no-console': 'off',
      'max-lines': ['error', { max: 400, skipBlankLines: false, skipComments: false }],
    },
  },
  // Restoring what a reload interrupted, and measuring what stands on the screen, happen in effects.
  { files: ['studio/**/*.{ts,tsx}'], rules: { 'react-hooks/set-state-in-effect': 'off' } },
  { settings: { next: { rootDir: 'studio' } } },
  ...directions,
  prettier,
);
