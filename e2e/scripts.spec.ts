// No PowerShell is to be had here: a grammar of the language reads the scripts
// that are written for it.
import { expect, test } from '@playwright/test'
import { readdirSync, readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { dirname, join } from 'node:path'

interface Node {
  hasError: boolean
  text: string
  descendantsOfType(type: string): Node[]
}
interface Grammar {
  Parser: { init(options: object): Promise<void>; new (): { setLanguage(l: unknown): void; parse(text: string): { rootNode: Node } } }
  Language: { load(file: string): Promise<unknown> }
}

test('PowerShell reads every script that is written for it', async () => {
  const require = createRequire(import.meta.url)
  const { Parser, Language } = require('@vscode/tree-sitter-wasm') as Grammar
  const wasm = join(dirname(require.resolve('@vscode/tree-sitter-wasm/package.json')), 'wasm')
  await Parser.init({ locateFile: (name: string) => join(wasm, name) })
  const parser = new Parser()
  parser.setLanguage(await Language.load(join(wasm, 'tree-sitter-powershell.wasm')))
  const folder = '../core/render/testdata'
  const scripts = readdirSync(folder).filter((f) => f.endsWith('.ps1'))
  expect(scripts).toHaveLength(2)
  for (const file of scripts) {
    const text = readFileSync(join(folder, file), 'utf8')
    const tree = parser.parse(text).rootNode
    expect(tree.hasError, file).toBe(false)
    expect(tree.descendantsOfType('function_statement').length, file).toBeGreaterThan(5)
    // It would see a mistake.
    expect(parser.parse(text.replace('param(', 'param((')).rootNode.hasError, file).toBe(true)
  }
})
