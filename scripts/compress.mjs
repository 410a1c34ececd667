// compress.mjs FILE TO: compresses a file as browsers take it.
import { readFileSync, writeFileSync } from 'node:fs'
import { brotliCompressSync, constants } from 'node:zlib'

const [file, to] = process.argv.slice(2)
const raw = readFileSync(file)
const params = { [constants.BROTLI_PARAM_QUALITY]: 11, [constants.BROTLI_PARAM_LGWIN]: 24, [constants.BROTLI_PARAM_SIZE_HINT]: raw.length }
writeFileSync(to, brotliCompressSync(raw, { params }))
