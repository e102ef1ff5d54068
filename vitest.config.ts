import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['packages/**/*.test.ts', 'apps/**/*.test.ts', 'test/**/*.test.ts'],
    environment: 'node',
    setupFiles: ['test/seed.ts'],
    // The heap is measured after a collection that the test asks for.
    execArgv: ['--expose-gc'],
    // Both cores of a small machine: left to itself it keeps one free.
    maxWorkers: 2,
    testTimeout: 300_000,
    hookTimeout: 300_000,
  },
});
