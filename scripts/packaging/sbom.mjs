// sbom.mjs VERSION EPOCH MODULES WEB: prints what a program is made of as one
// CycloneDX document: the Go modules that `go version -m` finds in it, and the
// Node packages of the browser application that `npm sbom` lists.
import { readFileSync } from 'node:fs'

const [version, epoch, modules, web] = process.argv.slice(2)

const components = []
let compiler = ''
for (const line of readFileSync(modules, 'utf8').split('\n')) {
  compiler ||= /: (go[\d.]+)/.exec(line)?.[1] ?? ''
  const [, kind, name, release, sum] = line.split('\t')
  if (kind !== 'dep') continue
  const purl = `pkg:golang/${name}@${release}`
  const hashes = sum ? [{ alg: 'SHA-256', content: Buffer.from(sum.replace(/^h1:/, ''), 'base64').toString('hex') }] : undefined
  components.push({ type: 'library', 'bom-ref': purl, name, version: release, purl, hashes })
}
const stdlib = `pkg:golang/stdlib@${compiler}`
components.push({ type: 'library', 'bom-ref': stdlib, name: 'stdlib', version: compiler.replace('go', ''), purl: stdlib })
if (components.length < 20) throw new Error(`only ${components.length} Go modules were found in ${modules}`)
for (const { type, name, group, version, purl, hashes, licenses } of JSON.parse(readFileSync(web, 'utf8')).components) {
  components.push({ type, 'bom-ref': purl, group, name, version, purl, hashes, licenses })
}
components.sort((a, b) => (a['bom-ref'] < b['bom-ref'] ? -1 : 1))
console.log(
  JSON.stringify(
    {
      bomFormat: 'CycloneDX',
      specVersion: '1.5',
      version: 1,
      metadata: { timestamp: new Date(Number(epoch) * 1000).toISOString(), component: { type: 'application', 'bom-ref': 'roster', name: 'roster', version } },
      components,
    },
    null,
    2,
  ),
)
