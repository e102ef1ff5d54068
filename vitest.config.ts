import { defineConfig } from 'vitest/config';

/** Tests that need modules of their own: what measures the heap, and what stores, since storage is looked for when it is loaded. */
const ALONE = ['packages/core/test/heap.test.ts', 'apps/web/test/{storage,references}.test.ts'];

const settings = {
  environment: 'node' as const,
  setupFiles: ['test/seed.ts'],
  // The heap is measured after a collection that the test asks for.
  execArgv: ['--expose-gc'],
  testTimeout: 300_000,
  hookTimeout: 300_000,
};

export default defineConfig({
  test: {
    // Both cores of a small machine: left to itself it keeps one free.
    maxWorkers: 2,
    projects: [
      {
        test: {
          ...settings,
          name: 'together',
          include: ['packages/**/*.test.ts', 'apps/**/*.test.ts', 'test/**/*.test.ts'],
          exclude: [...ALONE, '**/node_modules/**'],
          // Files that follow one another on a thread share the modules that they load: loading and compiling the core anew for each took a third of the time.
          isolate: false,
        },
      },
      { test: { ...settings, name: 'alone', include: ALONE } },
    ],
  },
});
