// The public site as files: what a static host would hand out.
import { as, expect, lyra, test } from './world'
import { execFileSync } from 'node:child_process'
import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs'
import { join, relative } from 'node:path'
import { HtmlValidate } from 'html-validate'
import Ajv from 'ajv/dist/2020.js'

test.use({ of: 'site' })

function files(folder: string): string[] {
  return readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .map((f) => join(folder, f))
    .filter((f) => statSync(f).isFile())
}

test('the exported site links to nothing that is not there, and is good HTML', async ({ world }) => {
  const folder = join(world.folder, 'public')
  const said = execFileSync(process.env.ROSTER_PROGRAM!, ['export', '--site', folder, '--public-url', 'https://roster.example', '--database', world.database], {
    encoding: 'utf8',
  })
  const all = files(folder).filter((f) => !f.endsWith('.roster-site.json')) // what an export notes for the next one
  expect(said).toContain(`${all.length} files, ${all.length} of them written, 0 removed`)
  const pages = all.filter((f) => f.endsWith('.html'))
  expect(pages.length).toBeGreaterThan(30)
  const missing = new Set<string>()
  for (const page of pages) {
    for (const [, address] of readFileSync(page, 'utf8').matchAll(/(?:href|src)="([^"]+)"|url\((\/[^)]+)\)/g)) {
      if (!address?.startsWith('/')) continue
      const file = join(folder, address.split('?')[0]!)
      if (!existsSync(file) || (statSync(file).isDirectory() && !existsSync(join(file, 'index.html'))))
        missing.add(`${relative(folder, page)} leads to ${address}`)
    }
  }
  expect([...missing]).toEqual([])
  const html = new HtmlValidate({
    extends: ['html-validate:standard'],
    rules: { 'no-inline-style': 'off', 'long-title': 'off', 'require-sri': 'off', 'no-trailing-whitespace': 'off', 'void-style': 'off' },
  })
  const wrong: string[] = []
  const seen = new Set<string>() // an edition's address has what its current release's has
  for (const page of pages) {
    const text = readFileSync(page, 'utf8')
    // The other languages are written from the same templates: of releases one is enough.
    if (seen.has(text) || (!text.includes('<html lang="en"') && page.includes('/r/') && !page.includes('/quiet-phone/'))) continue
    seen.add(text)
    const report = await html.validateFile(page)
    for (const r of report.results) for (const m of r.messages) wrong.push(`${relative(folder, page)}:${m.line} ${m.ruleId}: ${m.message}`)
  }
  expect(wrong.slice(0, 20)).toEqual([])
  // Every release fits the published schema, and a script says where to look.
  const schema = JSON.parse(readFileSync(join(folder, 'schema/release.json'), 'utf8')) as object
  const fits = new Ajv({ strict: false }).compile(schema)
  const releases = all.filter((f) => /\/r\/.*\/\d+\.json$/.test(f))
  expect(releases).toHaveLength(13)
  for (const file of releases) expect(fits(JSON.parse(readFileSync(file, 'utf8'))), `${file}: ${JSON.stringify(fits.errors)}`).toBe(true)
  const withdrawn = readFileSync(join(folder, 'r/brannock/lyra-5/quiet-phone/3.sh'), 'utf8')
  expect(withdrawn).toContain('This release was withdrawn: It took the wallet')
  expect(withdrawn).toContain('https://roster.example/r/brannock/lyra-5/quiet-phone/3')
})

test('a withdrawal is seen everywhere at once; keys are rotated and stay verifiable', async ({ page, world }) => {
  const get = async (path: string) => await (await fetch(world.url + path)).text()
  const path = '/r/brannock/lyra-5/short-loan/3'
  const before = await fetch(world.url + path)
  expect((await fetch(world.url + path, { headers: { 'If-None-Match': before.headers.get('etag')! } })).status).toBe(304)
  await as(page, world, 'maintainer', `/releases${lyra}`)
  await page.getByRole('button', { name: 'Withdraw Lyra 5: Short loan, no. 3' }).click()
  await page.getByRole('dialog').getByLabel(/Why/).fill('The alarm <b>clock</b> went with it.')
  await page.getByRole('button', { name: 'Withdraw it' }).click()
  await expect(page.getByText('Mirja Calloway: The alarm <b>clock</b> went with it.')).toBeVisible()
  expect((await fetch(world.url + path, { headers: { 'If-None-Match': before.headers.get('etag')! } })).status).toBe(200)
  for (const [form, words] of [
    ['', 'Withdrawn: do not use this list. The alarm &lt;b&gt;clock'],
    ['.sh', 'This release was withdrawn: The alarm <b>clock'],
    ['.bat', 'This release was withdrawn'],
    ['.ps1', 'This release was withdrawn'],
    ['.md', 'Withdrawn: do not use'],
    ['.status.json', '"state": "withdrawn"'],
  ] as const)
    expect(await get(path + form), form).toContain(words)
  expect(await get('/feed.atom')).toContain('Withdrawn: Brannock Lyra 5: Short loan, no. 3')
  expect(await get('/r.json')).toContain('The alarm')
  // The key is rotated: the old one vouches for the new, and what it signed stays good.
  const old = (await get('/minisign.pub')).split('\n')[1]!
  await as(page, world, 'keeper', '/releases')
  await page.getByRole('button', { name: 'Make a new key' }).click()
  await page.getByRole('dialog').getByLabel(/Why/).fill('A laptop was lost.')
  await page.getByRole('button', { name: 'Retire the old, make a new one' }).click()
  await expect(page.getByText(/A laptop was lost/)).toBeVisible()
  const fresh = await get('/minisign.pub')
  expect(fresh.split('\n')[1]).not.toBe(old)
  const id = fresh.match(/public key (\w+)/)![1]!
  const key = world.file('new.pub', fresh)
  world.file('new.pub.minisig', await get(`/keys/${id}.pub.minisig`))
  execFileSync('minisign', ['-V', '-m', key, '-P', old])
  const document = world.file('old.json', await get(`${path}.json`))
  world.file('old.json.minisig', await get(`${path}.json.minisig`))
  execFileSync('minisign', ['-V', '-m', document, '-P', old])
  expect(await get(path)).toContain('This key was retired')
  expect(await get('/keys')).toContain('A laptop was lost.')
})
