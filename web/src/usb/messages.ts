// What a page and the worker of its bench say to each other.
import type { ToPlugged } from './plugged'

export interface Start {
  kind: 'start'
  token: string
  // key makes the names by which phones are called.
  key: string
  // standIns are those that could be attached, attached those that are.
  standIns: { number: number; name: string }[]
  attached: number[]
}

export type ToWorker = Start | ToPlugged

export type FromWorker =
  | { kind: 'ready' }
  // why is "revoked" where the server does not take the token any more.
  | { kind: 'ended'; why: string }

// unusable are the states of a phone that may be over when it is tried again.
export const unusable = ['claimed', 'refused', 'offline', 'no driver', 'no permissions']
