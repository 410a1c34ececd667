import { defineConfig } from '@playwright/test'

// What the browser application computes, without a browser.
export default defineConfig({ testDir: './units', fullyParallel: true, reporter: process.env.CI ? 'line' : 'list' })
