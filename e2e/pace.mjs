// How fast this machine is at the moment. Machines that are lent out give a process
// another share of themselves from second to second, down to half of it, and what is
// promised in milliseconds is promised of an undisturbed one. So the same piece of
// work, which is none of Roster's, is done between whatever is measured, and what is
// measured is judged by how long that took meanwhile.
import { createHash } from 'node:crypto'

// undisturbed is what the piece takes of a core of 2.5 GHz that has nothing else to
// do, in milliseconds. A faster machine is not asked for more.
const undisturbed = 1.9

const bytes = Buffer.alloc(512 << 10, 7)

// piece does it, half in the processor and half in memory, and returns what it took.
function piece() {
  const start = performance.now()
  createHash('sha256').update(bytes).digest()
  const seen = new Map()
  for (let i = 0; i < 5000; i++) seen.set(`k${(i * 7919) % 1009}`, i)
  return performance.now() - start
}
for (let i = 0; i < 20; i++) piece() // until it is compiled

// Pace gathers how long the piece takes between what is measured.
export class Pace {
  #took = []

  // step does it so many times: each three times over, as the first after a rest meets
  // a processor that was somebody else's.
  step(times = 1) {
    for (let i = 0; i < times; i++) this.#took.push(Math.min(piece(), piece(), piece()))
  }

  // now is how many times as long as on an undisturbed machine it took, by the median:
  // 1 or more.
  get now() {
    const sorted = this.#took.toSorted((a, b) => a - b)
    return Math.max(1, sorted[Math.floor(sorted.length / 2)] / undisturbed)
  }
}
