// A run's journal as it is shown. What went well is folded once it is past; what
// ended badly stays in sight, and what is to come is shown a little ahead.
import { count } from '@/format/numbers'
import type { RunStep } from './run'

// A fold stands for steps, and is known by the number of its first.
export interface Fold {
  key: number
  steps: RunStep[]
  words: string
  detail: string
}
export type Line = { step: RunStep } | { fold: Fold }

// atLeast is how many steps are worth a fold, ahead how many of those to come
// stand before theirs, lately how many that are past stay in sight while it runs.
const atLeast = 8
const ahead = 4
const lately = 3

const went = (s: RunStep) => s.kind === 'remove' && ['done', 'already', 'absent'].includes(s.state)
const toCome = (s: RunStep) => s.kind === 'remove' && s.state === 'waiting'
const median = (list: number[]) => [...list].sort((a, b) => a - b)[list.length >> 1] ?? 0

function past(steps: RunStep[]): Fold {
  const done = steps.filter((s) => s.state === 'done')
  const absent = steps.length - done.length
  const detail = [`steps ${steps[0]!.number} to ${steps.at(-1)!.number}`]
  if (absent) detail.push(`${absent} not there`)
  if (done.length) detail.push(`median ${median(done.map((s) => s.took))} ms`)
  return {
    key: steps[0]!.number,
    steps,
    words: [
      [done.filter((s) => s.method !== 'quieten').length, 'removed'],
      [done.filter((s) => s.method === 'quieten').length, 'made quiet'],
    ]
      .filter(([n], i) => n || (!i && !done.length))
      .map((part) => part.join(' '))
      .join(', '),
    detail: detail.join(', '),
  }
}

function future(steps: RunStep[], after: RunStep[]): Fold {
  const then = after.map((s) => (s.kind === 'wait' ? `wait ${s.seconds} s` : s.kind))
  return {
    key: steps[0]!.number,
    steps,
    words: `${count(steps.length, 'more', 'more')} to remove`,
    detail: then.length ? `then ${then.slice(0, 3).join(', ')}` : '',
  }
}

// foldSteps folds the steps of a run, in their order; folds whose keys are among
// open are followed by their steps.
export function foldSteps(steps: RunStep[], going: boolean, open: ReadonlySet<number>): Line[] {
  const present = Math.max(
    0,
    steps.findLastIndex((s) => s.state !== 'waiting'),
  )
  const lines: Line[] = []
  const add = (part: RunStep[]) => lines.push(...part.map((step) => ({ step })))
  const addFold = (fold: Fold) => {
    lines.push({ fold })
    if (open.has(fold.key)) add(fold.steps)
  }
  // stretch is where steps like the one at a place end.
  const stretch = (from: number, like: (s: RunStep, i: number) => boolean) => {
    let to = from
    while (to < steps.length && like(steps[to]!, to)) to++
    return to
  }
  for (let i = 0; i < steps.length;) {
    const wentTo = stretch(i, (s, at) => went(s) && (!going || at < present - lately))
    if (wentTo - i >= atLeast) {
      addFold(past(steps.slice(i, wentTo)))
      i = wentTo
      continue
    }
    const comesTo = stretch(i, toCome)
    if (comesTo - i >= atLeast) {
      add(steps.slice(i, i + ahead))
      addFold(future(steps.slice(i + ahead, comesTo), steps.slice(comesTo)))
      i = comesTo
      continue
    }
    const to = Math.max(wentTo, comesTo, i + 1)
    add(steps.slice(i, to))
    i = to
  }
  return lines
}
