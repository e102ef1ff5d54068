import { defineConfig } from '@playwright/test';
import { CHROMIUM } from '../scripts/chromium.mjs';

const PORT = 4199;
const ORIGIN = `http://127.0.0.1:${PORT}`;
const PREFERENCES = JSON.stringify({
  // The map is open, as it is where there is room for it.
  state: { lightWhenSlow: false, session: { mapFold: 'open', surroundings: false } },
  version: 0,
});

export default defineConfig({
  testDir: '.',
  timeout: 600_000,
  expect: { timeout: 60_000 },
  workers: 1,
  // A test that fails once has failed: none is repeated until it passes.
  retries: 0,
  forbidOnly: Boolean(process.env.CI),
  reporter: [['list'], ['json', { outputFile: '../.setup/browser.json' }]],
  outputDir: '../test-results',
  use: {
    baseURL: ORIGIN,
    viewport: { width: 1280, height: 800 },
    // What opens and closes is there at once, so that nothing waits for it.
    contextOptions: { reducedMotion: 'reduce', colorScheme: 'dark' },
    acceptDownloads: true,
    trace: 'off',
    // Drawn in software every frame is slow: it is not to be drawn lightly by itself in the middle of a test.
    storageState: {
      cookies: [],
      origins: [{ origin: ORIGIN, localStorage: [{ name: 'evlay.preferences', value: PREFERENCES }] }],
    },
    launchOptions: CHROMIUM,
  },
  webServer: {
    command: `node ../apps/server/dist/main.mjs`,
    url: `${ORIGIN}/`,
    env: { PORT: String(PORT) },
    reuseExistingServer: false,
  },
});
