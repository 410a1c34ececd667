// One change's life among a technician, two reviewers and a maintainer: a list
// from elsewhere, the tray, a return, a revision, a conflict, the rule of two,
// and taking it all back.
import { api, as, expect, lyra, test, type World } from './world'
import type { Page } from '@playwright/test'

test.use({ of: 'review' })
test.describe.configure({ mode: 'serial' })

const model = { maker: 'brannock', model: 'lyra-5' }
const frames = 'com.brannock.frames.lock'
const radio = 'com.brannock.radio'
const tray = (page: Page) => page.getByRole('contentinfo', { name: 'Tray' })
const article = (page: Page, name: string) => page.getByRole('article').filter({ hasText: name })
const finish = (page: Page) => page.getByRole('button', { name: 'Finish' }).click()

async function put(page: Page, world: World, edits: object[]) {
  const made = await page.request.post(`${world.url}/api/v1/tray/edits`, { data: { edits } })
  expect(made.status(), await made.text()).toBe(201)
  await page.reload()
}

async function open(page: Page, world: World, login: string, title: string | RegExp) {
  await as(page, world, login, '/review')
  await page.getByRole('link', { name: title }).click()
  await expect(page.getByRole('group', { name: 'Edits' })).toBeVisible()
}

// composed is what the profile comes to now, by the server's own reckoning.
async function composed(page: Page, world: World, name: string) {
  const list = await (await page.request.get(`${world.url}/api/v1/profiles${lyra}`)).json()
  const { id } = list.items.find((p: { name: string }) => p.name === name)
  const { composition } = await (await page.request.get(`${world.url}/api/v1/profiles/${id}`)).json()
  return composition.rows.find((r: { package: string }) => r.package === frames) as { goes: boolean; ceiling: number }
}

test('a list from elsewhere becomes one change of sources', async ({ page, world }) => {
  await as(page, world, 'casimir', `/lists${lyra}`)
  await page
    .getByLabel('Or paste the list')
    .fill(
      [
        'name;how;why',
        'com.brannock.survey;off;<script>document.title="taken"</script>',
        'com.brannock.keys;off;',
        'org.nobody.knows;off;',
        'no name;keep;',
        'com.brannock.kids;keep;',
      ].join('\n'),
    )
  await page.getByRole('button', { name: 'Read it' }).click()
  await page.getByLabel('name of the list').fill('List of a stranger')
  await page.getByLabel('its address').fill('https://lists.example/9')
  await page.getByLabel('package names').selectOption('name')
  await page.getByLabel('grades', { exact: true }).selectOption('how')
  await page.getByLabel('what it says').selectOption('why')
  await page.getByLabel('off is').selectOption('Loose')
  await page.getByRole('button', { name: 'See what would become of it' }).click()
  await expect(page.getByRole('region', { name: 'Contradict what is known here' })).toContainText('com.brannock.keys')
  await expect(page.getByRole('region', { name: 'Packages that no capture has shown' })).toContainText('org.nobody.knows')
  await expect(page.getByRole('region', { name: 'Not understood' })).toContainText('line 5')
  await expect(page.getByRole('region', { name: 'New sources' }).getByRole('row')).toHaveCount(2)
  await page.getByRole('button', { name: 'Send as one change' }).click()
  await page.getByRole('link', { name: 'See it' }).click()
  await expect(page.getByRole('article')).toHaveCount(2)
  await expect(page.getByText('· imported from List of a stranger')).toBeVisible()
  await expect(page).toHaveTitle('Roster')
  // The same list again: read as before, and known.
  await page.goto(`${world.url}/lists${lyra}`)
  await page.getByLabel('Or paste the list').fill('name;how;why\ncom.brannock.survey;off;x')
  await page.getByRole('button', { name: 'Read it' }).click()
  await expect(page.getByText('A list of this shape was read before')).toBeVisible()
  await page.getByRole('button', { name: 'See what would become of it' }).click()
  await expect(page.getByRole('region', { name: 'Known already' })).toContainText('com.brannock.survey')
})

test('the tray says what it would do, and is sent in two parts', async ({ page, world }) => {
  await as(page, world, 'technician')
  const before = await composed(page, world, 'Short loan')
  expect(before.goes).toBe(false)
  const { items } = await (await page.request.get(`${world.url}/api/v1/makers/brannock/models/lyra-5/builds`)).json()
  const build = items.find((b: { version: string; carrier: string }) => b.version === '15.0.0' && !b.carrier).id
  const trial = (phone: string) => ({
    package: frames,
    field: 'trial',
    value: { build, phone: `called:${phone}`, method: 'remove-for-user', outcome: 'clean', persistence: 'held', recovery: 'not-tried', watchedDays: 9 },
  })
  await put(page, world, [
    trial('one'),
    trial('two'),
    { package: frames, field: 'load', at: model, value: { load: 'loose' } },
    { package: radio, field: 'description', value: 'Radio.' },
  ])
  await expect(tray(page)).toContainText('4 edits not sent')
  await expect(tray(page)).toContainText('would change 2 releases')
  await tray(page).getByRole('button', { name: 'Look and send' }).click()
  const knockOn = tray(page).getByRole('region', { name: 'Knock-on' })
  await expect(knockOn).toContainText('Lyra 5, Short loan')
  await expect(knockOn).toContainText('gains')
  await expect(tray(page)).toContainText('asks: Why? A reason in a sentence saves a question.')
  await tray(page).getByLabel(`Why, for ${frames}`).nth(2).fill('Two more phones.')
  await tray(page).getByLabel('What this is about').click()
  await expect(tray(page).getByText('asks: Why?')).toHaveCount(1)
  // Taken out, put back; then the radio stays behind.
  await tray(page)
    .getByRole('button', { name: `Take the edit of ${radio} out` })
    .click()
  await expect(tray(page)).toContainText('3 edits not sent')
  await tray(page).getByRole('button', { name: 'Put back what left' }).click()
  await expect(tray(page)).toContainText('4 edits not sent')
  await tray(page).getByLabel(`Send the edit of ${radio}`).uncheck()
  await tray(page).getByLabel('What this is about').fill('Lock pictures, two more')
  await tray(page).getByLabel('Why the whole').fill('Asked by the desk.')
  // What is written while the rest is still worked out is of the next change.
  let workedOut = () => {}
  const held = new Promise<void>((done) => (workedOut = done))
  await page.route('**/api/v1/tray/knock-on', (route) => held.then(() => route.fallback()))
  await tray(page).getByRole('button', { name: 'Send 3' }).click()
  await expect(tray(page)).toContainText('1 edit not sent')
  await expect(tray(page).getByLabel('What this is about')).toHaveValue('')
  await tray(page).getByLabel('What this is about').fill('The radio')
  workedOut()
  await tray(page).getByRole('button', { name: 'Send', exact: true }).click()
  await expect(tray(page)).toContainText('Sent.')
})

test('what a reviewer has decided waits for them, wherever they go', async ({ page, world }) => {
  await open(page, world, 'reviewer', /The weather is loose/)
  const foot = page.getByRole('contentinfo', { name: 'Review' })
  const articles = page.getByRole('group', { name: 'Edits' }).getByRole('article')
  await page.keyboard.press('j')
  await page.keyboard.press('r')
  await articles.nth(1).getByLabel(/What is missing/).fill('On which phones?')
  const saved = page.waitForResponse((r) => r.request().method() === 'PUT' && r.url().endsWith('/draft'))
  await articles.nth(1).getByLabel(/What is missing/).press('Escape')
  await saved
  await page.reload()
  await expect(foot).toContainText('1 to return, 1 open')
  await expect(foot).toContainText('as you left it')
  await expect(articles.nth(1).getByLabel(/What is missing/)).toHaveValue('On which phones?')
  await expect(articles.nth(1)).toHaveAttribute('aria-current', 'true') // the cursor, too
  await page.goto(`${world.url}/review`)
  const line = page.getByRole('row').filter({ hasText: 'The weather is loose' })
  await expect(line).toContainText('begun, not written')
  // Another tab has it as well, and what is done there is seen here.
  const other = await page.context().newPage()
  await other.goto(world.url + (await line.getByRole('link').getAttribute('href')))
  await expect(other.getByRole('contentinfo', { name: 'Review' })).toContainText('1 to return, 1 open')
  await other.keyboard.press('z')
  await expect(other.getByRole('contentinfo', { name: 'Review' })).toContainText('Let go; z brings it back.')
  await expect(line).not.toContainText('begun, not written')
  await other.keyboard.press('z')
  await expect(other.getByRole('contentinfo', { name: 'Review' })).toContainText('1 to return, 1 open')
  await expect(line).toContainText('begun, not written')
  await other.keyboard.press('z')
  await expect(line).not.toContainText('begun, not written')
  await other.close()
})

test('a reviewer sees the knock-on, accepts a part and returns the rest', async ({ page, world }) => {
  await open(page, world, 'reviewer', /Lock pictures, two more/)
  const margin = page.getByRole('complementary', { name: 'Margin' })
  await expect(margin).toContainText('would want no. 4')
  await expect(margin).toContainText(frames)
  const line = (await margin
    .getByText(/at most \d+ % → \d+ %/)
    .first()
    .textContent())!
  const foretold = Number(/→ (\d+) %/.exec(line)![1])
  await page.keyboard.press('s') // all trials alike
  await page.keyboard.press('a')
  await expect(page.getByRole('contentinfo', { name: 'Review' })).toContainText('2 to accept, 1 open')
  await article(page, 'load, for Lyra 5').getByRole('button', { name: 'Return with words' }).click()
  await article(page, 'load, for Lyra 5')
    .getByLabel(/What is missing/)
    .fill('For which builds?')
  const talk = article(page, 'load, for Lyra 5')
  await talk.getByRole('button', { name: 'say something' }).click()
  await talk.getByLabel(/Say something about/).fill('<img src=x onerror="document.title=1"> the carrier build, too?')
  await talk.getByRole('button', { name: 'Say it' }).click()
  await expect(talk).toContainText('<img src=x')
  await page.keyboard.press('f')
  await expect(page.getByText('returned by Anselm Okoro')).toBeVisible()
  await expect(page).toHaveTitle('Roster')
  const now = await composed(page, world, 'Short loan')
  expect(Math.ceil(now.ceiling * 100 - 1e-9)).toBe(foretold)
})

test('its author revises it, and what was said stays', async ({ page, world }) => {
  await as(page, world, 'technician')
  await page.getByRole('button', { name: /not read/ }).click()
  await page.getByRole('link', { name: /What you were told/ }).click()
  await expect(page.getByRole('region', { name: 'News' })).toContainText('Anselm Okoro said something about “Lock pictures')
  await page.getByRole('link', { name: 'Lock pictures, two more' }).first().click()
  await article(page, 'load, for Lyra 5').getByRole('button', { name: 'Back into the tray' }).click()
  await expect(page.getByRole('status')).toContainText('the next round')
  await page.getByRole('link', { name: 'Ledger' }).click()
  await tray(page).getByRole('button', { name: 'Look and send' }).click()
  await expect(tray(page)).toContainText('This is the next round of change')
  await expect(tray(page)).toContainText('returned: “For which builds?”')
  await tray(page).getByLabel('What this is about').fill('Lock pictures, two more')
  await tray(page).getByRole('button', { name: 'Send' }).click()
  await expect(tray(page)).toContainText('Sent.')
  await open(page, world, 'reviewer', /Lock pictures, two more.*round 2/)
  const again = article(page, 'round 2')
  await expect(again).toContainText('new since your last look')
  await expect(again).toContainText('the carrier build, too?')
  await again.getByRole('button', { name: 'Accept' }).click()
  await finish(page)
  await expect(again).toContainText('accepted by Anselm Okoro')
  expect((await composed(page, world, 'Short loan')).goes).toBe(true)
  // Who said it, on which change, stands in the history.
  await page.goto(`${world.url}/packages/${frames}${lyra}`)
  await expect(page.getByRole('region', { name: 'Dossier' })).toContainText('Tove Lindqvist, accepted by Anselm Okoro')
})

test('three values side by side', async ({ page, world }) => {
  await open(page, world, 'reviewer', /Tips, in other words/)
  const edit = page.getByRole('article')
  await expect(edit).toContainText('was“Shows hints about the phone and about things to buy.”')
  await expect(edit).toContainText('Bolaji Wren set it in change')
  await edit.getByRole('button', { name: 'Write' }).click()
  await edit.getByLabel('What is right').fill('Hints, half of them offers.')
  await edit.getByRole('button', { name: 'This is right' }).click()
  await finish(page)
  await expect(edit).toContainText('a reviewer wrote this value. Needs a second reviewer; accepted by Anselm Okoro', { ignoreCase: true })
  await open(page, world, 'second', /Tips, in other words/)
  await page.getByRole('article').getByRole('button', { name: 'Accept' }).click()
  await finish(page)
  await expect(page.getByText('accepted by Halina Forde')).toBeVisible()
  await open(page, world, 'second', /Who put Selfcare there/)
  await article(page, 'who put it there').getByRole('button', { name: 'Keep now' }).click()
  await finish(page)
  await expect(article(page, 'who put it there')).toContainText('turned down by Halina Forde')
})

test('the rule of two, and somebody asked', async ({ page, world }) => {
  await as(page, world, 'second', '/review')
  await expect(page.getByRole('link', { name: /Headlines/ })).toContainText('you were asked')
  await page.getByRole('link', { name: /The weather is loose/ }).click()
  const load = article(page, 'load, for Lyra 5')
  await expect(load).toContainText('Needs a second reviewer; accepted by Anselm Okoro')
  await load.getByRole('button', { name: 'Accept' }).click()
  await finish(page)
  await expect(load).toContainText('accepted by Halina Forde')
})

test('an accepted change is taken back as a change', async ({ page, world }) => {
  await as(page, world, 'maintainer', '/review?show=all')
  await page.getByRole('link', { name: /Lock pictures, two more/ }).click()
  await page.getByRole('button', { name: 'Take it back as a change' }).click()
  await expect(page.getByRole('status')).toContainText('In your tray: 3 edits that take it back')
  await page.getByRole('link', { name: 'Ledger' }).click()
  await tray(page).getByRole('button', { name: 'Look and send' }).click()
  await expect(tray(page)).toContainText('takes out a trial')
  await expect(tray(page).getByRole('region', { name: 'Knock-on' })).toContainText('loses')
  await tray(page).getByLabel('What this is about').fill('Back again')
  await tray(page).getByRole('button', { name: 'Send' }).click()
  await expect(tray(page)).toContainText('Sent.')
  await open(page, world, 'reviewer', /Back again/)
  await expect(page.getByText(/takes back change \d+/)).toBeVisible()
  for (const b of await page.getByRole('button', { name: 'Accept' }).all()) await b.scrollIntoViewIfNeeded()
  for (let i = 0; i < 3; i++) await page.keyboard.press('a')
  await finish(page)
  await expect(page.getByText(/accepted by Anselm Okoro/).first()).toBeVisible()
  expect((await composed(page, world, 'Short loan')).goes).toBe(false)
})

test('a token, and a change from the command line', async ({ page, world }) => {
  await as(page, world, 'technician', '/people')
  await page.getByRole('link', { name: 'Tove Lindqvist' }).click()
  await page.getByLabel('What the token is for').fill('a script')
  await page.getByRole('button', { name: 'Make a token' }).click()
  const token = (await page.getByText(/^roster-token-/).textContent())!
  const file = world.file(
    'edits.yaml',
    `title: From a file\nedits:\n  - package: ${radio}\n    field: functions\n    value: [radio]\n    reason: It plays FM.\n`,
  )
  const args = ['send', file, '--server', world.url, '--token', token]
  const [first, again] = [world.roster(...args), world.roster(...args)]
  expect(first).toContain('sent 1 edit for review')
  expect(again).toBe(first)
  await page.goto(`${world.url}/review?show=mine`)
  await expect(page.getByRole('link', { name: /From a file/ })).toHaveCount(1)
})

test('the keeper invites, reads the record and sets the rules', async ({ page, world, browser }) => {
  await as(page, world, 'keeper', '/people')
  await page.getByLabel('For whom').fill('Ada')
  await page.getByRole('button', { name: 'Make a link' }).click()
  const link = (await page.getByText(/\/join#/).textContent())!
  const other = await (await browser.newContext()).newPage()
  await other.goto(link)
  await other.getByLabel('Your name').fill('Ada Berg')
  await other.getByLabel('Login').fill('ada')
  await other.getByLabel('Password').fill('a long password')
  await other.getByRole('button', { name: 'Join' }).click()
  await expect(other.getByRole('button', { name: /Ada Berg, technician/ })).toBeVisible()
  await page.goto(`${world.url}/record`)
  await expect(page.getByRole('complementary')).toContainText('none altered, none missing')
  await expect(page.getByRole('row').filter({ hasText: 'person.joined' })).toContainText('Ada Berg')
  await page.goto(`${world.url}/people`)
  await page.getByRole('button', { name: 'Remove Ada Berg' }).click()
  await page.getByRole('button', { name: 'Remove Ada Berg' }).click()
  await expect(page.getByRole('status')).toContainText('under a pseudonym')
  await page.goto(`${world.url}/record`)
  await expect(page.getByRole('row').filter({ hasText: 'person.joined' })).toContainText('somebody who left')
  await page.goto(`${world.url}/rules`)
  const review = page.getByRole('region', { name: 'Rules of review' })
  await review.getByLabel('a load more lenient than the evidence suggests').fill('3')
  await review.getByRole('button', { name: 'Let it hold' }).click()
  await expect(review.getByRole('status')).toContainText('It holds from now on')
  const installation = page.getByRole('region', { name: 'Rules of the installation' })
  await installation.getByLabel('Networks').fill('198.51.100.0/33')
  await installation.getByRole('button', { name: 'Let it hold' }).click()
  await expect(installation.getByRole('alert')).toContainText('198.51.100.0/33')
  await installation.getByLabel(/ends after so many hours/).fill('8')
  await installation.getByLabel('Networks').fill('198.51.100.0/24')
  await installation.getByRole('button', { name: 'Let it hold' }).click()
  await expect(installation.getByRole('status')).toContainText('It holds from now on')
  await page.reload()
  await expect(installation.getByLabel('Networks')).toHaveValue('198.51.100.0/24')
  await expect(installation.getByLabel(/ends after so many hours/)).toHaveValue('8')
})

test('what somebody else does is there without being asked for', async ({ page, world, browser }) => {
  // The server may be starting just then: the page comes back to it.
  await page.route('**/api/v1/events', (route) => route.fulfill({ status: 503 }), { times: 1 })
  await as(page, world, 'reviewer', '/review')
  await expect(page.getByRole('main').getByRole('link').first()).toBeVisible()
  const other = await (await browser.newContext()).newPage()
  await as(other, world, 'technician', '/people')
  await api(other, world, 'POST', '/changes/whole', {
    format: 'roster-edits/1',
    title: 'From another table',
    words: '',
    edits: [{ package: 'com.brannock.survey', field: 'load', at: { maker: 'brannock' }, value: { load: 'loose' }, reason: 'Nobody missed it.' }],
  })
  await expect(page.getByRole('link', { name: /From another table/ })).toBeVisible()
})
