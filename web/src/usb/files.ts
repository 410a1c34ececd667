// What the browser keeps for this page and no other, as bench/browser/files.go
// asks for it. Only workers may open these files so that a write is on the disk
// when it returns.

// Handle is what only workers can have: a file that is read and written at once.
export interface Handle {
  read(into: Uint8Array, options: { at: number }): number
  write(data: Uint8Array, options: { at: number }): number
  truncate(size: number): void
  getSize(): number
  flush(): void
  close(): void
}

type Openable = FileSystemFileHandle & { createSyncAccessHandle(): Promise<Handle> }
type Movable = FileSystemFileHandle & { move(folder: FileSystemDirectoryHandle, name: string): Promise<void> }

// place finds the folder of a path and the name in it, making folders on the way
// where make is true.
async function place(path: string, make: boolean): Promise<[FileSystemDirectoryHandle, string]> {
  const parts = path.split('/')
  const name = parts.pop()!
  let folder = await navigator.storage.getDirectory()
  for (const part of parts) folder = await folder.getDirectoryHandle(part, { create: make })
  return [folder, name]
}

// alone opens a file for this worker. One of a tab that is just being closed may
// have it a moment longer.
async function alone(file: Openable): Promise<Handle> {
  for (let tries = 0; ; tries++) {
    try {
      return await file.createSyncAccessHandle()
    } catch (err) {
      const held = err instanceof DOMException && err.name === 'NoModificationAllowedError'
      if (!held || tries === 50) throw err
      await new Promise((r) => setTimeout(r, 100))
    }
  }
}

export const files = {
  // open opens a file: one that is there to be read, one to add to, or a fresh
  // one in place of any that is there.
  async open(path: string, how: 'read' | 'append' | 'fresh'): Promise<Handle> {
    const [folder, name] = await place(path, how !== 'read')
    const file = (await folder.getFileHandle(name, { create: how !== 'read' })) as Openable
    const handle = await alone(file)
    if (how === 'fresh') handle.truncate(0)
    return handle
  },

  async rename(from: string, to: string) {
    const [folder, name] = await place(from, false)
    const [target, called] = await place(to, true)
    await ((await folder.getFileHandle(name)) as Movable).move(target, called)
  },

  async remove(path: string) {
    const [folder, name] = await place(path, false)
    await folder.removeEntry(name, { recursive: true })
  },
}
