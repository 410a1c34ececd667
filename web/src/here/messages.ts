// What the page of a release and the worker of its bench say to each other.
import type { Schemas } from '@/api/client'
import type { ToPlugged } from '@/usb/plugged'

export type Phone = Schemas['Phone']
export type Rehearsal = Omit<
  Schemas['Rehearsed'],
  'build' | 'checks' | 'draft' | 'labels' | 'model' | 'number' | 'title' | 'version'
>
export type Row = Rehearsal['rows'][number]
export type Choices = Schemas['BenchChoices']

// Document is a release, as far as the page reads it.
export interface Document {
  maker: { name: string }
  model: { name: string; device: string }
  edition: { name: string; purpose: string }
  number: number
  published: string
  publisher: string
  steps: { kind: string; method?: string; package?: string; label?: string; text?: string }[]
}

export interface Release {
  document: Document
  digest: string
  keyId: string
  status: { state: string; reason?: string; notFor?: { version: string; why: string }[] }
}

// Captured is what the phone has that was read, as the text of a capture file.
export interface Captured {
  name: string
  told: string
  fingerprint: string
  packages: number
  text: string
}

export interface Step {
  number: number
  kind: string
  method?: string
  package?: string
  label?: string
  text?: string
  key?: string
  value?: string
  state: string
  words: string
}

export interface Run {
  id: string
  startedAt: string
  title: string
  path: string
  digest: string
  phone: string
  fingerprint: string
  told: string
  mark: string
  state: 'going' | 'stopped' | 'held' | 'interrupted' | 'finished' | 'put-back'
  why: string
  open: boolean
  puttingBack: boolean
  steps: Step[] | null
  off: string[]
  functions: string[]
  back: Record<string, string> | null
  losses: { function: string; packages: string[] }[] | null
  checks: { number: number; text: string }[]
}

// View is what the bench shows; see bench/alone.
export interface View {
  phones: Phone[]
  doing: '' | 'reading' | 'running' | 'looking'
  progress: { step: number; steps: number; asking: string; bytes: number }
  trouble: string
  phone: string
  runs: Run[]
  // Packages that the release puts in and whose files lie here.
  ready: string[]
}

export type ToWorker =
  | { kind: 'start'; key: string; salt: string; name: string; attached: { number: number; name: string }[] }
  | ToPlugged
  | { kind: 'ask'; id: number; what: string; with: string; files?: File[] }

export type FromWorker =
  | { kind: 'ready' }
  | { kind: 'ended'; why: string }
  | { kind: 'changed'; view: string }
  | { kind: 'answer'; id: number; value?: string; wrong?: string }
