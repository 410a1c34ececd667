import { api, ask, asForm, type Schemas } from '@/api/client'

export type Given = Schemas['Given']
export type FilePin = Schemas['FilePin']

// readFiles says what package files are; nothing of them is stored.
export const readFiles = (files: Iterable<File>) => ask(api.POST('/api/v1/package-files', asForm(files)))

// giveFiles hands package files to a bench, and returns the job that fetches them.
export const giveFiles = (bench: string, files: Iterable<File>) =>
  ask(api.POST('/api/v1/benches/{id}/files', { params: { path: { id: bench } }, ...asForm(files) }))

// missed says what keeps given files from being what a pin wants, '' for nothing.
export function missed(pin: FilePin, given: Given): string {
  const own = given.files.find((f) => !f.split)
  if (given.signer !== pin.signer) return 'signed by somebody else'
  if (pin.sha256 && own?.sha256 !== pin.sha256) return 'another file than the one that is wanted'
  if (given.versionCode < (pin.least ?? 0))
    return `too old: version code ${given.versionCode}, at least ${pin.least} is wanted`
  return own ? '' : "the package's own file is not among them"
}
