import { copyFileSync, mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { resolve } from 'node:path'
import { brotliCompressSync } from 'node:zlib'
import vue from '@vitejs/plugin-vue'
import { defineConfig, type Plugin } from 'vite'
import vuetify from 'vite-plugin-vuetify'

const fonts = 'node_modules/@fontsource-variable'

// The public pages, which the server writes without this build, use the same
// fonts under fixed names; and scripts are carried and handed out compressed,
// see files.go. What is Go takes long to compress, and is compressed when it is
// compiled.
function finish(): Plugin {
  return {
    name: 'roster-finish',
    apply: 'build',
    closeBundle() {
      mkdirSync('dist/assets/fonts', { recursive: true })
      copyFileSync(
        `${fonts}/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-wght-normal.woff2`,
        'dist/assets/fonts/next.woff2',
      )
      copyFileSync(
        `${fonts}/atkinson-hyperlegible-mono/files/atkinson-hyperlegible-mono-latin-wght-normal.woff2`,
        'dist/assets/fonts/mono.woff2',
      )
      for (const file of readdirSync('dist/assets')) {
        const program = /^(\w+)-.*\.wasm$/.exec(file)
        if (program) copyFileSync(`generated/${program[1]}.wasm.br`, `dist/assets/${file}.br`)
        else if (/\.(js|css|svg)$/.test(file))
          writeFileSync(`dist/assets/${file}.br`, brotliCompressSync(readFileSync(`dist/assets/${file}`)))
        else continue
        rmSync(`dist/assets/${file}`)
      }
    },
  }
}

// Vuetify resets what stands before and after every element, by inheritance at that:
// a browser then works out three styles where one would do, and of each anew, which
// was a quarter of every frame while the Ledger scrolls. Nothing stands before or
// after most of them: what is Vuetify's own is reset as it was.
function leanReset(): Plugin {
  return {
    name: 'roster-lean-reset',
    enforce: 'pre',
    transform(code, id) {
      if (!/vuetify\/lib\/styles\/core\.css$/.test(id)) return
      const every = /\*,\s+::before,\s+::after \{([^}]*)box-sizing: inherit;/
      const around = /(?<=\}\s+)::before,\s+::after \{/
      if (!every.test(code) || !around.test(code)) this.error('the reset is written otherwise than it was')
      const own = ":where([class^='v-'], [class*=' v-'])"
      return code
        .replace(every, `*, ${own}::before, ${own}::after {$1box-sizing: border-box;`)
        .replace(around, `${own}::before, ${own}::after {`)
    },
  }
}

// The fonts of the first view come with the page: found when the style sheet is applied,
// they came after it was drawn, which was then laid out twice, by other fonts first.
function earlyFonts(): Plugin {
  return {
    name: 'roster-early-fonts',
    apply: 'build',
    transformIndexHtml: {
      order: 'post',
      handler(_, { bundle }) {
        const fonts = Object.keys(bundle ?? {}).filter((file) => /-latin-wght-normal-[^/]*\.woff2$/.test(file))
        if (fonts.length !== 2) throw new Error(`two fonts are expected, not ${fonts.join(', ')}`)
        return fonts.map((file) => ({
          tag: 'link',
          attrs: { rel: 'preload', as: 'font', type: 'font/woff2', crossorigin: true, href: `/${file}` },
          injectTo: 'head',
        }))
      },
    },
  }
}

interface Graph {
  getModuleInfo(id: string): { importedIds: string[] } | null
}

// What the workbench begins with comes in few files, since each costs a request
// and its start more than what it weighs: one of the workbench alone, and one of
// what a release's own page has in common with it. What is opened later is parted
// as it is shared.
function parts(): (module: string, graph: Graph) => string | null {
  const reached = new Map<string, Set<string>>()
  const from = (graph: Graph, entry: string) => {
    const all = reached.get(entry) ?? new Set<string>()
    if (all.size > 0) return all
    reached.set(entry, all)
    const left = [resolve(entry)]
    for (let id = left.pop(); id; id = left.pop()) {
      if (all.has(id)) continue
      all.add(id)
      left.push(...(graph.getModuleInfo(id)?.importedIds ?? []))
    }
    return all
  }
  return (id, graph) => {
    if (!from(graph, 'src/main.ts').has(id)) return null
    return from(graph, 'src/here/main.ts').has(id) ? 'common' : 'workbench'
  }
}

export default defineConfig({
  plugins: [leanReset(), vue(), vuetify(), earlyFonts(), finish()],
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  worker: { format: 'es' },
  build: {
    target: 'es2023',
    chunkSizeWarningLimit: 900,
    // The second is what a release's own page loads; see server/site/assets.go.
    rolldownOptions: {
      input: { index: 'index.html', here: 'src/here/main.ts' },
      output: { codeSplitting: { groups: [{ name: parts(), debugName: 'what it begins with' }] } },
    },
    manifest: 'manifest.json',
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8420', '/r': 'http://127.0.0.1:8420' } },
})
