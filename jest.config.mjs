/** Jest runs as ESM: libxml2-wasm has top-level await. Start it through `./hinge test`. */
const project = (name, roots) => ({
  displayName: name,
  rootDir: '.',
  roots: roots.map((r) => `<rootDir>/${r}`),
  testMatch: ['**/*.test.ts'],
  testEnvironment: 'node',
  extensionsToTreatAsEsm: ['.ts', '.tsx'],
  transform: {
    '^.+\\.(ts|tsx)$': [
      '@swc/jest',
      { module: { type: 'es6' }, jsc: { target: 'es2022', parser: { syntax: 'typescript', tsx: true } } },
    ],
  },
});
export default {
  // The machines that run them may stand still for seconds.
  testTimeout: 20_000,
  projects: [
    project('core', ['core']),
    project('gateway', ['gateway', 'stand-ins', 'bench']),
    project('command', ['command', 'demo']),
    project('studio', ['studio']),
    project('e2e', ['e2e']),
  ],
};
