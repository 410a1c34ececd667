// What each place does beyond the walk: what people reach for every day.
import { as, expect, lyra, test } from "./world";

test.use({ of: "places" });

test("the scope bar narrows what every place shows", async ({
  page,
  world,
}) => {
  await as(page, world, "technician");
  await page.getByRole("link", { name: "Ledger" }).click();
  const rows = page.getByTestId("package");
  await expect(rows.first()).toBeVisible();
  await page.getByRole("button", { name: "Maker: everywhere" }).click();
  await page.getByRole("combobox", { name: "Find a maker" }).fill("bran");
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/maker=brannock/);
  await page.getByRole("button", { name: "Model: all models" }).click();
  await page.getByRole("option", { name: "Lyra 5 mini" }).click();
  await expect(page).toHaveURL(/model=lyra-5-mini/);
  await expect(page.getByText("of 161")).toBeVisible();
  await page.getByRole("button", { name: /^Build: all 2/ }).click();
  await page.getByRole("option", { name: /14.2.1/ }).click();
  await expect(page).toHaveURL(/build=/);
  await expect(page.getByText("of 157")).toBeVisible();
  // The address reproduces it.
  await page.reload();
  await expect(
    page.getByRole("button", { name: "Build: 14.2.1" }),
  ).toBeVisible();
  await expect(page.getByText("of 157")).toBeVisible();
  await page.getByRole("link", { name: "Profiles" }).click();
  await expect(
    page.getByRole("heading", { name: "Profiles for Lyra 5 mini" }),
  ).toBeVisible();
  await page.getByRole("button", { name: /^Model: Lyra 5 mini/ }).click();
  await page.getByRole("option", { name: "all models" }).click();
  await expect(page).not.toHaveURL(/model=/);
});

test("ledger rows carry the marks, groups close, names are found in other languages", async ({
  page,
  world,
}) => {
  await as(page, world, "technician", `/ledger${lyra}`);
  const rows = page.getByTestId("package");
  const tips = rows.filter({ hasText: "com.brannock.tips" });
  await page.getByLabel("Filter the rows").fill("brannock tip");
  await expect(tips.getByRole("img", { name: "Loose" })).toBeVisible();
  await expect(
    tips.getByRole("img", { name: /^Trials: 37 clean/ }),
  ).toBeVisible();
  await expect(tips).toContainText("≤ 14 %");
  await expect(tips).toContainText("firm");
  for (const [text, name] of [
    ["tagesbl", "com.brannock.feed.daily"],
    ["ポケット", "com.brannock.wallet.core"],
    ["Bedienungs", "com.brannock.access.suite"],
    ["chirrup serv", "com.fieldnote.services"],
  ] as const) {
    await page.getByLabel("Filter the rows").fill(text);
    await expect(rows).toHaveCount(1);
    await expect(rows).toContainText(name);
  }
  await page.getByLabel("Filter the rows").fill("health");
  const agent = rows.filter({ hasText: "devicehealth" });
  await expect(
    agent.getByRole("img", { name: "On 2 of 6 builds" }),
  ).toBeVisible();
  await page.getByLabel("Filter the rows").fill("");
  await expect(page.getByText("167 of 167")).toBeVisible();
  const maker = page.getByRole("button", { name: /Maker 54 packages/ });
  await maker.click();
  await expect(maker).toHaveAttribute("aria-expanded", "false");
  await expect(rows.first()).toContainText("app.basketree");
  await maker.click();
  await expect(rows.first()).toContainText("com.brannock");
  // The margin follows the cursor.
  await page.keyboard.press("j");
  await expect(page.getByRole("complementary")).toContainText(
    "com.brannock.access.suite",
  );
  await expect(page.getByRole("complementary")).toContainText("Tied in");
  await expect(page.getByRole("complementary")).toContainText("contested");
  await page.keyboard.press("m");
  await expect(page.getByRole("complementary")).toBeHidden();
  await page.keyboard.press("m");
  await expect(page.getByRole("complementary")).toBeVisible();
});

test("every row is reached by scrolling, and few are drawn", async ({
  page,
  world,
}) => {
  await as(page, world, "technician", `/ledger${lyra}`);
  const rows = page.getByTestId("package");
  await expect(rows.first()).toBeVisible();
  expect(await rows.count()).toBeLessThan(70);
  const grid = page.getByRole("grid", { name: "Packages" });
  await grid.evaluate((e) => e.scrollTo(0, e.scrollHeight));
  await expect(
    rows
      .filter({ hasText: "com.android.wifi.resources" })
      .or(rows.filter({ hasText: "com.android.webview" }))
      .first(),
  ).toBeVisible();
});

test("a dossier says where grades come from and opens its figures", async ({
  page,
  world,
}) => {
  await as(
    page,
    world,
    "technician",
    `/packages/com.brannock.access.suite${lyra}`,
  );
  const dossier = page.getByRole("region", { name: "Dossier" });
  await expect(dossier).toContainText("Tied in, for Lyra 5");
  await expect(dossier).toContainText(
    "something else misbehaved without it (2 trials)",
  );
  await expect(dossier).toContainText("no screen lock code is set");
  await page.getByRole("button", { name: /Open the 6 trials/ }).click();
  const weights = page.getByRole("table", { name: "Trials" }).locator("td.num");
  await expect(weights).toHaveCount(6);
  const sum = (await weights.allTextContents()).reduce(
    (n, t) => n + Number(t),
    0,
  );
  const said = Number(
    (await dossier.getByText(/Together/).textContent())!.match(
      /Together ([\d.]+)/,
    )![1],
  );
  expect(Math.abs(sum - said)).toBeLessThan(0.05);
  // Seen from a firmware that nobody tried it on, the same trials count less.
  await page.goto(
    `${world.url}/packages/com.brannock.access.suite?maker=brannock&model=lyra-5-mini`,
  );
  await expect(dossier).toContainText("Load-bearing");
  await expect(dossier).toContainText("by suggestion; nobody has graded it");
  await expect(dossier).toContainText(
    "a phone did not start without it (1 trial)",
  );
  await page.goto(`${world.url}/packages/no.such.package${lyra}`);
  await expect(page.getByRole("heading", { name: "No dossier" })).toBeVisible();
});

test("fields are edited through the tray, one edit a field", async ({
  page,
  world,
}) => {
  await as(page, world, "technician", `/packages/com.brannock.notes${lyra}`);
  const tray = page.getByRole("contentinfo", { name: "Tray" });
  const edit = async (button: string, field: RegExp | string, text: string) => {
    await page
      .getByRole("button", { name: button, exact: true })
      .first()
      .click();
    const dialog = page.getByRole("dialog");
    await dialog.getByLabel(field).fill(text);
    await dialog.getByLabel("How you know").fill("I looked.");
    await dialog.getByRole("button", { name: "Into the tray" }).click();
    await expect(dialog).toBeHidden();
  };
  await edit("say what it does", /What it does/, "Keeps notes.");
  await expect(tray).toContainText("1 edit not sent");
  await edit("say what it does", /What it does/, "Keeps short notes.");
  await expect(tray).toContainText("1 edit not sent");
  await edit("change", /Short words/, "notes, Voice Mail");
  await edit("names", /One a line/, "en: Notes\nde: Notizen\nfr: Carnet");
  await expect(tray).toContainText("3 edits not sent");
  // A line without a language is told where it stands, and nothing is lost.
  await page.getByRole("button", { name: "names", exact: true }).click();
  const dialog = page.getByRole("dialog");
  await dialog.getByLabel(/One a line/).fill("Notes");
  await dialog.getByLabel("How you know").fill("x");
  await dialog.getByRole("button", { name: "Into the tray" }).click();
  await expect(dialog.getByRole("alert")).toContainText(
    "“Notes”: write the language",
  );
  await dialog.getByRole("button", { name: "Cancel" }).click();
  await dialog.getByRole("button", { name: "Throw it away" }).click();
  await tray.getByRole("button", { name: "Look and send" }).click();
  await expect(tray).toContainText("“Keeps short notes.”");
  await expect(tray).toContainText("voice mail");
  await expect(tray).toContainText("Carnet (fr)");
  await expect(tray.getByLabel("What this is about")).toHaveValue(
    "Notes: what it does, functions, names",
  );
  await tray.getByLabel("What this is about").fill(" ");
  await tray.getByRole("button", { name: "Send" }).click();
  await expect(tray.getByRole("alert")).toContainText(
    "Say in a line what this is about",
  );
  await tray.getByLabel("What this is about").fill("Notes");
  await tray.getByRole("button", { name: "Send" }).click();
  await tray.getByRole("link", { name: "See the change" }).click();
  await page.getByRole("button", { name: "Take back" }).click();
  await expect(page.getByRole("status")).toContainText("in your tray again");
  await page.goto(`${world.url}/ledger${lyra}`);
  await expect(tray).toContainText("3 edits not sent");
});

test("a technician reads profiles and changes nothing", async ({
  page,
  world,
}) => {
  await as(page, world, "technician", `/profiles${lyra}`);
  await expect(page.getByRole("button", { name: "New profile" })).toHaveCount(
    0,
  );
  await page.getByRole("link", { name: /Quiet phone/ }).click();
  await expect(page.getByTestId("goes")).toHaveText("13");
  await expect(page.getByRole("button", { name: /Publish/ })).toHaveCount(0);
  await page.getByRole("slider").press("ArrowDown");
  await expect(page.getByTestId("goes")).toHaveText("13");
});

test("two maintainers change the rules at once: one is told", async ({
  page,
  browser,
  world,
}) => {
  await page.clock.install();
  // This one hears of nothing until it asks.
  await page.route("**/api/v1/events", (route) => route.abort());
  await as(page, world, "maintainer", `/profiles${lyra}`);
  await page.getByRole("link", { name: /Quiet phone/ }).click();
  await expect(page.getByTestId("goes")).toHaveText("13");
  const other = await (await browser.newContext()).newPage();
  await as(other, world, "keeper");
  await other.goto(page.url());
  await other.getByRole("slider").press("ArrowDown");
  await expect(other.getByTestId("goes")).toHaveText("14");
  await other.getByRole("button", { name: "Keep the rules" }).click();
  await expect(other.getByText("as kept")).toBeVisible();
  await page.getByRole("slider").press("ArrowUp");
  await expect(page.getByTestId("goes")).toHaveText("12");
  // A lost connection has the profile read again; what is being changed stays.
  await page.clock.fastForward(60_000);
  const again = page.waitForResponse(/\/api\/v1\/profiles\/[^/]+$/);
  await page.context().setOffline(true);
  await page.context().setOffline(false);
  await again;
  const foot = page.getByRole("contentinfo", { name: "Profile" });
  await expect(foot).toContainText("somebody changed the rules since");
  await expect(page.getByTestId("goes")).toHaveText("12");
  // Whoever looks again has what they changed, and is told what it would undo.
  await page.reload();
  await expect(foot).toContainText(
    "somebody changed the rules since: keeping yours takes the place of theirs",
  );
  await expect(page.getByTestId("goes")).toHaveText("12");
  await page.getByRole("button", { name: "Keep the rules" }).click();
  await expect(foot).toContainText("as kept");
  await page.reload();
  await expect(page.getByTestId("goes")).toHaveText("12");
  await expect(foot).toContainText("as kept");
  // As it was, for the others.
  await page.getByRole("slider").press("ArrowDown");
  await expect(page.getByTestId("goes")).toHaveText("13");
  await page.getByRole("button", { name: "Keep the rules" }).click();
  await expect(foot).toContainText("as kept");
  await other.context().close();
});

test("a package is pinned across the line with a reason, and let go", async ({
  page,
  world,
}) => {
  await as(page, world, "maintainer", `/profiles${lyra}`);
  await page.getByRole("link", { name: /Quiet phone/ }).click();
  const goes = page.getByTestId("goes");
  await expect(goes).not.toHaveText("0");
  const before = Number(await goes.textContent());
  await page.keyboard.press("p");
  const dialog = page.getByRole("dialog");
  await expect(dialog).toContainText("com.brannock.tips");
  await expect(dialog.getByRole("button", { name: "Keep it" })).toBeDisabled();
  await dialog.getByLabel(/Why/).fill("Somebody reads them.");
  await dialog.getByRole("button", { name: "Keep it" }).click();
  await expect(goes).toHaveText(String(before - 1));
  const row = page.locator(".row", { hasText: "com.brannock.tips" });
  await expect(row).toContainText("pinned: Somebody reads them.");
  await row.getByRole("button", { name: "unpin" }).click();
  await expect(goes).toHaveText(String(before));
  // Load-bearing is out of reach.
  const face = page.locator(".row", { hasText: "com.android.systemui" });
  await expect(face.getByRole("button")).toHaveCount(0);
});

test("colours follow the person, and wrong passwords are told", async ({
  page,
  world,
}) => {
  await page.goto(world.url);
  await page.getByLabel("Login").fill("technician");
  await page.getByLabel("Password").fill("not this one");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("alert")).toContainText(
    "The login or the password is wrong.",
  );
  await as(page, world, "technician");
  await page.emulateMedia({ colorScheme: "dark" });
  await expect(page.locator("html")).toHaveAttribute("data-theme", "dark");
  await page.getByRole("button", { name: /^You:/ }).click();
  await page.getByRole("button", { name: /Colours: as the computer/ }).click();
  await expect(page.locator("html")).toHaveAttribute("data-theme", "light");
  await page.reload();
  await expect(page.locator("html")).toHaveAttribute("data-theme", "light");
  await page.goto(`${world.url}/nowhere/at/all`);
  await expect(
    page.getByRole("heading", { name: "Nothing is at this address" }),
  ).toBeVisible();
});

test("the filter offers, forgives and says what is wrong; the address keeps the view", async ({
  page,
  world,
}) => {
  await as(page, world, "technician", `/ledger${lyra}`);
  const rows = page.getByTestId("package");
  const filter = page.getByLabel("Filter the rows");
  await expect(rows.first()).toBeVisible();
  await filter.fill("kamra");
  await expect(rows).toHaveCount(1);
  await expect(rows).toContainText("com.brannock.camera");
  // What could be written next, from the keyboard.
  await filter.fill("");
  await filter.pressSequentially("stan");
  await expect(page.getByRole("option", { name: /standing:/ })).toBeVisible();
  await filter.press("ArrowDown");
  await filter.press("Tab");
  await expect(filter).toHaveValue("standing:");
  await expect(page.getByRole("option", { name: "contested" })).toBeVisible();
  await filter.pressSequentially("con");
  await expect(page.getByRole("option", { name: "contested" })).toBeVisible();
  await filter.press("ArrowDown");
  await filter.press("Enter");
  await expect(filter).toHaveValue("standing:contested");
  await expect(rows.filter({ hasText: "contested" }).first()).toBeVisible();
  await expect(rows.filter({ hasNotText: "contested" })).toHaveCount(0);
  // A mistake is shown at its place, with what could stand there.
  await filter.fill("origin:maker standing:sure");
  await expect(page.getByRole("alert")).toContainText('"sure" is no standing');
  await expect(page.getByRole("alert").locator("mark")).toHaveText("sure");
  await expect(page.getByRole("alert")).toContainText(
    "untried, thin, contested, fair, firm",
  );
  await filter.fill("load>=leaned-on not origin:platform");
  await page.getByLabel("Group by").selectOption("load");
  const sorted = page.waitForResponse(
    (r) =>
      r.url().includes("/ledger?") &&
      ["leaned-on", "group=load", "sort=trials"].every((part) =>
        r.url().includes(part),
      ),
  );
  await page.getByLabel("Sort by").selectOption("trials");
  const ledger = (await (await sorted).json()) as { rows: { name: string }[] };
  await expect(
    page.getByRole("button", { name: /Load-bearing \d+ package/ }),
  ).toBeVisible();
  await expect(rows.first()).toContainText(ledger.rows[0]!.name);
  await page.reload();
  await expect(page).toHaveURL(/group=load/);
  await expect(filter).toHaveValue("load>=leaned-on not origin:platform");
  await expect(rows.first()).toContainText(ledger.rows[0]!.name);
});
