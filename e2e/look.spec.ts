// Every place in light and dark: axe finds nothing, nothing is logged as an
// error, and it works at the widths that are promised.
import { clean } from "./axe";
import { as, expect, lyra, test } from "./world";

test.use({ of: "look" });

test("axe finds nothing in light and dark", async ({ page, world }) => {
  const errors: string[] = [];
  page.on("pageerror", (e) => errors.push(e.message));
  page.on(
    "console",
    (m) =>
      m.type() === "error" &&
      !m.text().includes("401") &&
      errors.push(m.text()),
  );
  await page.goto(world.url);
  await expect(page.getByText("Sample people")).toBeVisible();
  await clean(page, "sign-in");
  await as(page, world, "reviewer", `/ledger${lyra}`);
  await expect(page.getByTestId("package").first()).toBeVisible();
  expect(await page.getByTestId("package").count()).toBeGreaterThanOrEqual(22);
  await clean(page, "ledger");
  await page.getByLabel("Filter the rows").fill("nothing fits this");
  await expect(
    page.getByRole("heading", { name: /Nothing fits/ }),
  ).toBeVisible();
  await clean(page, "empty ledger");
  await page.getByLabel("Filter the rows").fill("load:heavy");
  await expect(page.getByRole("alert")).toContainText("is no load");
  await clean(page, "ledger, a mistake in the filter");
  await page.goto(`${world.url}/packages/com.brannock.access.suite${lyra}`);
  await expect(
    page.getByRole("heading", { name: "Accessibility", level: 1 }),
  ).toBeVisible();
  await page.getByRole("button", { name: /Open the/ }).click();
  await clean(page, "dossier");
  await page.keyboard.press("t");
  await expect(
    page.getByRole("dialog", { name: /^What happened/ }),
  ).toBeVisible();
  await page.keyboard.press("c");
  await expect(page.getByTestId("contradictions")).toBeVisible();
  await clean(page, "trial");
  await page.getByRole("button", { name: "Cancel" }).click();
  await page.getByRole("button", { name: "Add a source" }).click();
  await expect(page.getByRole("dialog")).toBeVisible();
  await clean(page, "source");
  await page.goto(`${world.url}/packages/com.brannock.calendar${lyra}`);
  await expect(page.getByText("Japan, South Korea").first()).toBeVisible();
  await page
    .getByRole("button", { name: "change", exact: true })
    .nth(2)
    .click();
  await expect(page.getByRole("dialog")).toBeVisible();
  await clean(page, "substitutes");
  await page.goto(`${world.url}/yardstick`);
  await page.getByLabel("the same maker", { exact: true }).fill("0.1");
  await page.getByRole("button", { name: "See what would change" }).click();
  await expect(
    page.getByRole("heading", { name: "What would change" }),
  ).toBeVisible();
  await clean(page, "yardstick");
  await page.goto(`${world.url}/ledger${lyra}`);
  await expect(page.getByTestId("package").first()).toBeVisible();
  await page.keyboard.press("x");
  await page.getByRole("button", { name: /^views/ }).click();
  await clean(page, "ledger, marked, with its views");
  await page.goto(`${world.url}/packages/com.brannock.vaultkeeper${lyra}`);
  await expect(
    page.getByText("Nobody has tried it. Take it off"),
  ).toBeVisible();
  await clean(page, "dossier without evidence");
  await page.goto(`${world.url}/review${lyra}`);
  await clean(page, "queue");
  await page.getByRole("link", { name: /lock pictures/ }).click();
  await expect(page.getByRole("article")).toHaveCount(3);
  await page.keyboard.press("r");
  await clean(page, "change");
  await page.goto(`${world.url}/profiles${lyra}`);
  await page.getByRole("link", { name: /Quiet phone/ }).click();
  await expect(page.getByRole("slider")).toBeVisible();
  await clean(page, "profile");
  await page.getByRole("button", { name: "Rules", exact: true }).click();
  await clean(page, "rules of a profile");
  await page.getByRole("button", { name: "Compared" }).click();
  await expect(page.getByRole("region", { name: "Compared" })).toContainText(
    "the same as in no. 4",
  );
  await clean(page, "profile compared");
  await page.goto(`${world.url}/bench${lyra}`);
  await page.getByRole("button", { name: new RegExp(world.phone) }).click();
  await expect(page.getByRole("button", { name: /^Capture/ })).toBeEnabled();
  await clean(page, "bench");
  await page.getByRole("button", { name: /waits for you to accept/ }).click();
  await clean(page, "bench, a phone that asks");
  await page.getByRole("button", { name: /From files/ }).click();
  await clean(page, "bench, files");
  await page
    .locator("#paste")
    .fill(
      "[ro.build.fingerprint]: [b/p/d:9/A/1:user/k]\n[ro.product.manufacturer]: [Brannock]\npackage:com.example.a\n",
    );
  await page.getByRole("button", { name: "Read the text" }).click();
  await page.getByRole("link", { name: "What it means" }).click();
  await expect(page.getByRole("region", { name: "Intake" })).toContainText(
    "com.example.a",
  );
  await clean(page, "intake");
  await page.goto(`${world.url}/releases`);
  await expect(
    page.getByRole("link", { name: /Quiet phone/ }).first(),
  ).toBeVisible();
  await clean(page, "releases");
  await page.goto(`${world.url}/r/brannock/lyra-5/quiet-phone`);
  await clean(page, "public page");
  for (const path of [
    "/r",
    "/r/brannock",
    "/r/brannock/lyra-5",
    "/keys",
    "/r/brannock/lyra-5/quiet-phone/3",
    "/r/brannock/lyra-5/quiet-phone/4.sheet.html",
  ]) {
    await page.goto(world.url + path);
    await clean(page, path);
  }
  expect(errors).toEqual([]);
});

test("axe finds nothing in review, lists and people", async ({
  page,
  world,
}) => {
  const errors: string[] = [];
  page.on("pageerror", (e) => errors.push(e.message));
  page.on(
    "console",
    (m) =>
      m.type() === "error" &&
      !m.text().includes("401") &&
      errors.push(m.text()),
  );
  await as(page, world, "keeper", "/review");
  await page.getByRole("link", { name: /Tips, in other words/ }).click();
  await page.getByRole("button", { name: "Write" }).click();
  await page.getByRole("button", { name: "say something" }).first().click();
  await page.getByRole("button", { name: "ask somebody" }).click();
  await clean(page, "conflict");
  await page.goto(`${world.url}/review?show=all`);
  await page.getByRole("link", { name: /The shop's deals/ }).click();
  await expect(page.getByText("Which of the two sends them")).toBeVisible();
  await clean(page, "returned change");
  await page.goto(`${world.url}/packages/com.brannock.music${lyra}`);
  await expect(page.getByRole("heading", { level: 1 }).first()).toBeVisible();
  await page.keyboard.press("1");
  await page.getByRole("dialog").getByLabel("Why").fill("Heard so.");
  await page.getByRole("button", { name: "Into the tray" }).click();
  await page.getByRole("button", { name: "Look and send" }).click();
  await expect(
    page
      .getByRole("region", { name: "Knock-on" })
      .getByText(/profile|Lyra 5/)
      .first(),
  ).toBeVisible();
  await clean(page, "tray");
  await page.getByRole("button", { name: /Take the edit of/ }).click();
  await expect(page.getByRole("contentinfo", { name: "Tray" })).toContainText(
    "empty",
  );
  await page.goto(`${world.url}/lists${lyra}`);
  await page
    .getByLabel("Or paste the list")
    .fill("name;how\ncom.brannock.survey;off\ncom.brannock.keys;off\n1;off");
  await page.getByRole("button", { name: "Read it" }).click();
  await page.getByLabel("name of the list").fill("A list");
  await page.getByLabel("its address").fill("https://lists.example/1");
  await page.getByLabel("package names").selectOption("name");
  await page.getByLabel("grades", { exact: true }).selectOption("how");
  await page.getByLabel("off is").selectOption("Loose");
  await page
    .getByRole("button", { name: "See what would become of it" })
    .click();
  await expect(
    page.getByRole("region", { name: "Not understood" }),
  ).toBeVisible();
  await clean(page, "list");
  await page.getByLabel("its address").fill("javascript:alert(1)");
  await page
    .getByRole("button", { name: "See what would become of it" })
    .click();
  await expect(
    page.getByRole("region", { name: "Not understood" }),
  ).toContainText("is not an address that begins with");
  await page.goto(`${world.url}/people`);
  await page.getByRole("button", { name: "Make a link" }).click();
  const link = (await page.getByText(/\/join#/).textContent())!;
  await clean(page, "people");
  await page.getByRole("link", { name: "Piet Harrow" }).click();
  await expect(
    page.getByRole("heading", { name: "Tokens for programs" }),
  ).toBeVisible();
  await clean(page, "own page");
  await page.goto(`${world.url}/news`);
  await expect(page.getByRole("listitem").first()).toBeVisible();
  await clean(page, "news");
  await page.goto(`${world.url}/record`);
  await expect(page.getByText("none altered, none missing")).toBeVisible();
  await clean(page, "record");
  await page.goto(`${world.url}/rules`);
  await expect(page.getByRole("button", { name: "Let it hold" })).toHaveCount(
    2,
  );
  await clean(page, "rules");
  await page.goto(link);
  await expect(
    page.getByRole("heading", { name: "Join Roster" }),
  ).toBeVisible();
  await clean(page, "join");
  expect(errors).toEqual([]);
});

test("the public page fits a narrow phone", async ({ page, world }) => {
  await page.setViewportSize({ width: 360, height: 700 });
  for (const path of [
    "/r",
    "/r/brannock/lyra-5/quiet-phone",
    "/r/nobody/knows/this",
  ]) {
    await page.goto(world.url + path);
    const wide = await page.evaluate(
      () => document.documentElement.scrollWidth,
    );
    expect(wide, path).toBeLessThanOrEqual(360);
  }
});

test("the workbench works from the keyboard at 1024", async ({
  page,
  world,
}) => {
  await page.setViewportSize({ width: 1024, height: 768 });
  await as(page, world, "technician", `/ledger${lyra}`);
  await expect(page.getByTestId("package").first()).toBeVisible();
  expect(
    await page.evaluate(() => document.documentElement.scrollWidth),
  ).toBeLessThanOrEqual(1024);
  await page.keyboard.press("/");
  await page.keyboard.type("pocket");
  // The ticket that is kept in Pocket fits, too.
  await expect(page.getByTestId("package")).toHaveCount(2);
  // What is called exactly that stands first, chosen.
  await page.keyboard.press("Enter");
  await expect(page.getByRole("grid", { name: "Packages" })).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(
    page
      .getByRole("region", { name: "Dossier" })
      .getByRole("heading", { name: "Pocket", level: 1 }),
  ).toBeVisible();
  // Back at the very row, with the filter.
  await page.keyboard.press("u");
  await expect(page).toHaveURL(/ledger.*q=pocket/);
  await expect(page.getByTestId("package").first()).toHaveAttribute(
    "aria-selected",
    "true",
  );
  await page.keyboard.press("Enter");
  await expect(
    page
      .getByRole("region", { name: "Dossier" })
      .getByRole("heading", { name: "Pocket", level: 1 }),
  ).toBeVisible();
  await expect(
    page.getByRole("button", { name: "Build: all 6" }),
  ).toBeVisible();
  await page.keyboard.press("]");
  await expect(
    page.getByRole("button", { name: /^Build: 14.1.0/ }),
  ).toBeVisible();
  await page.keyboard.press("[");
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog")).toContainText("add a trial");
  await page.keyboard.press("Escape");
  await expect(page.getByRole("dialog")).toBeHidden();
  await page.keyboard.press("u");
  await expect(page).toHaveURL(/ledger/);
});
