// What goes wrong on the bench and between people, and what the page says.
import { as, expect, lyra, test, type World } from './world'

test.use({ of: 'faults' })

function scenario(world: World, name: string, more: string) {
  const fingerprint = `brannock/lyra5/lyra5:15/BR1A/15.9.${name.length}:user/release-keys`
  return world.file(
    `${name}.yaml`,
    `name: ${name}
serial: ${name}
${more}
properties:
  ro.build.fingerprint: ${fingerprint}
  ro.product.manufacturer: Brannock
  ro.product.device: lyra5
  ro.product.model: ${name}
  ro.product.marketname: ${name}
  ro.build.version.release: "15"
  ro.build.version.sdk: "35"
  ro.build.version.incremental: 15.9.${name.length}
packages:
  - {name: com.brannock.tips, dir: /product/app, version: "1"}
  - {name: com.brannock.brandnew, dir: /product/app, version: "1"}
`,
  )
}

test('the cable falls out in the middle of a capture', async ({ page, world }) => {
  const { address, hand } = await world.standIn(
    scenario(world, 'loose-cable', 'prompt: none\nfaults: [{command: dumpsys package, afterBytes: 300, do: unplug, times: 1}]'),
  )
  await as(page, world, 'technician')
  await page.getByRole('link', { name: /^Bench/ }).click()
  await page.getByLabel('By network address').fill(address)
  await page.getByRole('button', { name: 'Connect' }).click()
  const phone = page.getByRole('button', { name: new RegExp(address) })
  await expect(phone).toContainText('Android 15')
  await phone.click()
  await page.getByRole('button', { name: /^Capture/ }).click()
  await expect(page.getByRole('alert')).toContainText('The phone went away in the middle. Usually the cable')
  await expect(page.getByRole('alert')).toContainText('marked incomplete')
  const stored = page.getByTestId('stored')
  await expect(stored).toContainText('Incomplete: dumpsys package')
  await expect(stored).toContainText('2 packages')
  await expect(stored).toContainText('1 package never seen before')
  await expect(phone).toContainText('does not answer')
  hand('plug')
})

test('a phone waits to be accepted', async ({ page, world }) => {
  const { address, accept } = await world.standIn(scenario(world, 'asks', 'prompt: ask'))
  await as(page, world, 'technician')
  await page.getByRole('link', { name: /^Bench/ }).click()
  await page.getByLabel('By network address').fill(address)
  await page.getByRole('button', { name: 'Connect' }).click()
  const phone = page.getByRole('button', { name: new RegExp(address) })
  await expect(phone).toContainText('waits for you to accept this computer')
  await phone.click()
  await expect(page.getByRole('button', { name: /^Capture/ })).toBeDisabled()
  await expect(page.getByRole('region', { name: 'Phone', exact: true })).toContainText('tap Allow')
  await accept()
  await expect(phone).toContainText('Android 15')
  await expect(page.getByRole('button', { name: /^Capture/ })).toBeEnabled()
})

test('files that are no outputs are refused, with nothing stored', async ({ page, world }) => {
  await as(page, world, 'technician')
  await page.getByRole('link', { name: /^Bench/ }).click()
  await page.getByRole('button', { name: /From files/ }).click()
  await page.locator('input[type=file]').setInputFiles({
    name: 'holiday.jpg',
    mimeType: 'image/jpeg',
    buffer: Buffer.from([255, 216, 255]),
  })
  await expect(page.getByRole('alert')).toContainText('holiday.jpg: this is not an output that Roster knows')
  await expect(page.getByRole('alert')).toContainText('Nothing was stored')
})

test('two reviewers decide at once: one is told', async ({ page, browser, world }) => {
  // This one hears of nothing until it asks.
  await page.route('**/api/v1/events', (route) => route.abort())
  await as(page, world, 'reviewer', `/review${lyra}`)
  await page.getByRole('link', { name: /Headlines/ }).click()
  await page.getByRole('article').getByRole('button', { name: 'Accept' }).click()
  const other = await (await browser.newContext()).newPage()
  await as(other, world, 'second')
  await other.goto(page.url())
  await other.getByRole('article').getByRole('button', { name: 'Turn down' }).click()
  await other.getByRole('button', { name: 'Finish' }).click()
  await expect(other.getByRole('article')).toContainText('turned down by Halina Forde')
  await page.getByRole('button', { name: 'Finish' }).click()
  await expect(page.getByRole('alert')).toContainText('Somebody else changed this since you looked')
  await expect(page.getByRole('article')).toContainText('turned down by Halina Forde')
  await other.context().close()
})

test('the network is lost while sending: a second try sends nothing twice, and is made where the tray has emptied', async ({ page, world }) => {
  // Of what has become of the tray it hears when it asks.
  await page.route('**/api/v1/events', (route) => route.abort())
  await as(page, world, 'technician')
  const edit = { package: 'com.brannock.radio', field: 'countries', value: ['NO'], reason: 'asked' }
  await page.request.post(`${world.url}/api/v1/tray/edits`, { data: { edits: [edit] } })
  await page.reload()
  const tray = page.getByRole('contentinfo', { name: 'Tray' })
  await tray.getByRole('button', { name: 'Look and send' }).click()
  await tray.getByLabel('What this is about').fill('Sent into the dark')
  // The server gets it; its answer is lost.
  let lost = 0
  await page.route('**/api/v1/changes', async (route) => {
    if (route.request().method() !== 'POST' || lost++) return route.fallback()
    await route.fetch()
    await route.abort('connectionreset')
  })
  await tray.getByRole('button', { name: 'Send' }).click()
  await expect(tray.getByRole('alert')).toContainText('The server does not answer. Nothing was lost')
  await tray.getByRole('button', { name: 'Send' }).click()
  await expect(tray).toContainText('Sent.')
  await page.goto(`${world.url}/review?show=mine`)
  await expect(page.getByRole('link', { name: /Sent into the dark/ })).toHaveCount(1)
  // Once more, and heard of at once.
  lost = 0
  await page.unroute('**/api/v1/events')
  await page.request.post(`${world.url}/api/v1/tray/edits`, { data: { edits: [{ ...edit, value: ['SE'] }] } })
  await page.goto(`${world.url}/ledger${lyra}`)
  await tray.getByRole('button', { name: 'Look and send' }).click()
  await expect(tray.getByLabel('What this is about')).toHaveValue('FM Radio: countries')
  await tray.getByRole('button', { name: 'Send' }).click()
  await expect(tray).toContainText('Sent.')
  expect(lost).toBe(2)
})

test('the network is lost while something is said: the words stay', async ({ page, world }) => {
  await as(page, world, 'maintainer', '/review')
  await page.getByRole('link', { name: /Tips, in other words/ }).click()
  const whole = page.getByRole('region', { name: 'About the whole' })
  await whole.getByRole('button', { name: 'say something' }).click()
  await whole.getByLabel(/^Say something/).fill('Which phone was it?')
  await page.route('**/comments', (route) => route.abort('connectionreset'), { times: 1 })
  await whole.getByRole('button', { name: 'Say it' }).click()
  await expect(page.getByRole('alert')).toContainText('The server does not answer')
  await expect(whole.getByLabel(/^Say something/)).toHaveValue('Which phone was it?')
  await whole.getByRole('button', { name: 'Say it' }).click()
  await expect(whole.locator('.said')).toHaveText('Which phone was it?')
  await page.getByRole('button', { name: 'ask somebody' }).click()
  await page.getByLabel('Whom').selectOption({ index: 1 })
  await page.getByLabel('What about').fill('Is it so?')
  await page.route('**/asked', (route) => route.abort('connectionreset'), { times: 1 })
  await page.getByRole('button', { name: 'Ask', exact: true }).click()
  await expect(page.getByRole('alert')).toContainText('The server does not answer')
  await expect(page.getByLabel('What about')).toHaveValue('Is it so?')
})

test('two tabs share one tray', async ({ page, context, world }) => {
  await as(page, world, 'technician', `/ledger${lyra}`)
  const tray = (of: typeof page) => of.getByRole('contentinfo', { name: 'Tray' })
  const other = await context.newPage()
  await other.goto(`${world.url}/ledger${lyra}`)
  await expect(tray(other)).toContainText('empty')
  const add = (of: typeof page, value: string) =>
    of.request.post(`${world.url}/api/v1/tray/edits`, { data: { edits: [{ package: 'com.brannock.radio', field: 'description', value, reason: 'x' }] } })
  await add(page, 'first')
  const answer = await (await add(other, 'second')).json()
  expect(answer.displaced).toMatchObject([{ value: 'first' }])
  for (const of of [page, other]) {
    await of.bringToFront()
    await of.evaluate(() => document.dispatchEvent(new Event('visibilitychange', { bubbles: true })))
    await expect(tray(of)).toContainText('1 edit not sent')
  }
  await other.close()
  await tray(page).getByRole('button', { name: 'Look and send' }).click()
  await tray(page)
    .getByRole('button', { name: /^Take the edit/ })
    .click()
})

test('words that look like markup stay words', async ({ page, world }) => {
  await as(page, world, 'technician', `/packages/com.brannock.radio${lyra}`)
  await page.getByRole('button', { name: /say it better|say what it does/ }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel(/What it does/).fill('<img src=x onerror="document.title=1"> {{constructor}}')
  await dialog.getByLabel('How you know').fill('<script>document.title = 2</script>')
  await dialog.getByRole('button', { name: 'Into the tray' }).click()
  await page.getByRole('button', { name: 'Look and send' }).click()
  await expect(page.getByRole('contentinfo', { name: 'Tray' })).toContainText('<img src=x onerror=')
  expect(await page.title()).toBe('Roster')
  await page.getByRole('button', { name: 'Take the edit of com.brannock.radio out' }).click()
  await expect(page.getByRole('contentinfo', { name: 'Tray' })).toContainText('empty')
})
