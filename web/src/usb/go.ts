// Starting Go, compiled for browsers, in a worker.
import '../../generated/wasm_exec.js'

declare class Go {
  importObject: WebAssembly.Imports
  run(instance: WebAssembly.Instance): Promise<void>
}

// begin starts a program; what it gives back says how much memory it has, in bytes.
export async function begin(program: string): Promise<() => number> {
  const go = new Go()
  const { instance } = await WebAssembly.instantiateStreaming(fetch(program), go.importObject)
  void go.run(instance)
  return () => (instance.exports.mem as WebAssembly.Memory).buffer.byteLength
}
