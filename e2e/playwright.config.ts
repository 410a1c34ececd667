import { defineConfig } from '@playwright/test'
import { flags } from './chromium.mjs'
import type { Kinds } from './world'

export default defineConfig<object, Kinds>({
  testDir: '.',
  testIgnore: 'units/**', // see units.config.ts
  globalSetup: './seed.ts',
  workers: 2,
  // What is done with a phone is done twice: on the server's bench, and on the
  // browser's own.
  projects: [{ name: 'server', grepInvert: /@browser/ }, { name: 'browser', grep: /@either|@browser/, use: { kind: 'browser' } }],
  timeout: 420_000,
  expect: { timeout: 40_000 },
  // With PLAYWRIGHT_JSON_OUTPUT_FILE set, scripts/test tells at the end why a test failed.
  reporter: [[process.env.CI ? 'line' : 'list'], ...(process.env.PLAYWRIGHT_JSON_OUTPUT_FILE ? [['json'] as ['json']] : [])],
  use: {
    actionTimeout: 40_000,
    contextOptions: { reducedMotion: 'reduce' }, // nothing is drawn on the way
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium-headless-shell',
      args: [...flags, '--js-flags=--liftoff-only'], // what runs for seconds is not worth compiling twice
    },
  },
})
