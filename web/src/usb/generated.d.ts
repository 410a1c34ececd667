// What scripts/lib.sh compiles for the worker.
declare module '*/wasm_exec.js'
