// What is promised about speed and memory, and how a figure is held against it. What
// takes time is judged by the machine's pace meanwhile, see pace.mjs: as it would have
// been on one that nothing disturbs.

// grows is how many times as much ten times the data may take.
export const promises = [
  { id: 'intake', what: 'one more capture of a known firmware, against bare COPY of its rows', most: 1.5, unit: '×' },
  { id: 'bulk', what: 'captures taken in one after another', least: 40_000, unit: 'sightings/s' },
  { id: 'bulk-two', what: 'captures taken in by two servers of one database', least: 40_000, unit: 'sightings/s' },
  { id: 'first-capture', what: "a firmware's first capture, until the Desk tells of it", most: 300, unit: 'ms', grows: 1.5 },
  { id: 'ledger-orders', what: 'the Ledger of a model in any order, p95', most: 25, unit: 'ms', grows: 1.5 },
  { id: 'ledger-orders-anew', what: 'the Ledger of a model in any order, after a write, p95', most: 25, unit: 'ms', grows: 1.5 },
  { id: 'ledger-groups', what: 'the Ledger of a model in any grouping, p95', most: 25, unit: 'ms', grows: 1.5 },
  { id: 'ledger-groups-anew', what: 'the Ledger of a model in any grouping, after a write, p95', most: 25, unit: 'ms', grows: 1.5 },
  { id: 'ledger-filters', what: 'the Ledger of a model by any field of the filter, p95', most: 25, unit: 'ms', grows: 1.5 },
  { id: 'search-model', what: 'search as you type in a model, p95', most: 25, unit: 'ms', grows: 1.5 },
  { id: 'search-model-anew', what: 'search as you type in a model, after a write, p95', most: 25, unit: 'ms', grows: 1.5 },
  { id: 'search-everywhere', what: 'search as you type everywhere, p95', most: 40, unit: 'ms' },
  { id: 'search-everywhere-anew', what: 'search as you type everywhere, after a write, p95', most: 40, unit: 'ms' },
  { id: 'dossier', what: 'a Dossier, p95', most: 40, unit: 'ms' },
  { id: 'comparing', what: 'two builds of a model compared, p95', most: 50, unit: 'ms', grows: 1.5 },
  { id: 'comparing-anew', what: 'two builds of a model compared, after a write, p95', most: 50, unit: 'ms', grows: 1.5 },
  { id: 'desk', what: 'the Desk, p95', most: 60, unit: 'ms' },
  { id: 'desk-anew', what: 'the Desk, after a write, p95', most: 60, unit: 'ms' },
  { id: 'coverage', what: 'coverage, p95', most: 200, unit: 'ms' },
  { id: 'coverage-ten', what: 'coverage at ten times as many builds, p95', most: 200, unit: 'ms' },
  { id: 'knock-on', what: 'the knock-on of 50 edits on 40 profiles, p95', most: 100, unit: 'ms' },
  { id: 'opening', what: 'opening a change of 500 edits, p95', most: 300, unit: 'ms', grows: 2 },
  { id: 'accepting', what: "accepting 500 edits of a model's own packages", most: 1000, unit: 'ms', grows: 1.5 },
  { id: 'accepting-wide', what: 'accepting 500 edits, a tenth of them trials of what ships everywhere', most: 1000, unit: 'ms' },
  { id: 'all-figures', what: 'all figures made anew', least: 50_000, unit: 'trials/s' },
  { id: 'memory', what: 'the server after all this, resident', most: 200, unit: 'MB' },
  { id: 'memory-demo', what: 'the server at rest with the demo, resident', most: 100, unit: 'MB' },
  { id: 'first-rows', what: 'first rows of the Ledger in a cold browser, median', most: 800, unit: 'ms' },
  { id: 'browser-ready', what: 'a bench in a browser, from the click to its phone in the list, median', most: 1500, unit: 'ms' },
  { id: 'browser-capture', what: 'a capture of 449 packages through a browser, against the same through an adb server', most: 1.3, unit: '×' },
  { id: 'browser-run', what: 'a run of 72 removals through a browser, against the same through an adb server', most: 1.1, unit: '×' },
  { id: 'browser-memory', what: 'the worker of a browser while a dump of 4 MB is read', most: 150, unit: 'MB' },
  { id: 'cut-line', what: 'the cut line of a profile, from a key to new figures, median', most: 30, unit: 'ms' },
  { id: 'public-page', what: 'a release page, against nginx with one worker and the same bytes, by 16 connections', least: 60, unit: '%' },
  { id: 'public-document', what: 'a release as JSON, against the same', least: 60, unit: '%' },
  { id: 'scrolling', what: 'scrolling 5,000 rows', least: 57, unit: 'frames/s' },
]

const fair = (promise, value, pace = 1) => (promise.most === undefined ? value * pace : value / pace)

// missed is how many times as much as promised a figure is, or the part of it: 1 where
// it holds.
export function missed(promise, { value, pace }) {
  const is = fair(promise, value, pace)
  return promise.most === undefined ? Math.min(1, is / promise.least) : Math.max(1, is / promise.most)
}

// A few milliseconds more are no growth.
const slack = 5

// growth is how many times as much as the smaller size the larger one took, 1 where it
// is about as much: by medians where there are some, as the slowest of sixty answers
// tell less. A pace that was met at one size alone makes it too large, with it or
// without it: the less counts.
export function growth(promise, small, large) {
  const by = (pace) => {
    const [a, b] = [small, large].map((m) => fair(promise, m.median ?? m.value, pace ? m.pace : 1))
    return b - a > slack ? b / a : 1
  }
  return Math.min(by(true), by(false))
}

// calmest is the figure of several measured one after another that is nearest to its
// promise or beyond it: whatever disturbs a machine only makes it slower.
export const calmest = (promise, figures) =>
  figures.toSorted((a, b) => fair(promise, a.value, a.pace) - fair(promise, b.value, b.pace)).at(promise.most === undefined ? -1 : 0)
