import { defineConfig } from '@playwright/test';
import { CHROMIUM } from '../scripts/chromium.mjs';

const PORT = 4199;

export default defineConfig({
  testDir: '.',
  timeout: 120_000,
  expect: { timeout: 30_000 },
  workers: 1,
  // A test that fails once has failed: none is repeated until it passes.
  retries: 0,
  forbidOnly: Boolean(process.env.CI),
  reporter: [['list'], ['json', { outputFile: '../.setup/browser.json' }]],
  outputDir: '../test-results',
  use: {
    baseURL: `http://127.0.0.1:${PORT}`,
    viewport: { width: 1280, height: 800 },
    acceptDownloads: true,
    trace: 'off',
    launchOptions: CHROMIUM,
  },
  webServer: {
    command: `node ../apps/server/dist/main.mjs`,
    url: `http://127.0.0.1:${PORT}/`,
    env: { PORT: String(PORT) },
    reuseExistingServer: false,
  },
});
