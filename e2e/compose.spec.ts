// What rests on what, and what is composed of it.
import { as, choose, expect, lyra, test } from "./world";

test.use({ of: "compose" });

test("the neighbourhood is read, walked by keys, and added to through review", async ({
  page,
  world,
}) => {
  await as(
    page,
    world,
    "technician",
    `/packages/com.brannock.access.suite${lyra}`,
  );
  const rests = page.getByRole("region", { name: "What rests on it" });
  await expect(
    rests.getByRole("list", { name: "What rests on it" }).getByRole("link"),
  ).toHaveCount(2);
  await expect(page.getByRole("complementary")).toContainText("Stops");
  await expect(page.getByRole("complementary")).toContainText(
    "uses its library com.brannock.access.feedback",
  );
  // The lines that it was read from.
  await rests
    .getByRole("button", { name: "the lines it was read from" })
    .click();
  await expect(rests.getByRole("list", { name: "Lines" })).toContainText(
    "Package [com.brannock.access.vibrate] usesLibraries: com.brannock.access.feedback",
  );
  // g goes to it, the arrows walk, Enter follows.
  await page.keyboard.press("g");
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/com\.brannock\.access\.vibrate/);
  await expect(
    page
      .getByRole("list", { name: "What it rests on" })
      .getByRole("link")
      .first(),
  ).toContainText("access.suite");
  // Sixty neighbours: the nearest are drawn, the others a click away.
  await page.goto(`${world.url}/packages/android${lyra}`);
  const more = rests.getByRole("button", { name: /^and \d+ more$/ });
  await expect(more).toBeVisible();
  await more.click();
  await expect(
    page.getByRole("list", { name: "What else rests on it" }).getByRole("link"),
  ).toHaveCount(
    Number(
      (await rests.getByRole("button", { name: /^hide/ }).textContent())!.match(
        /\d+/,
      )![0],
    ),
  );
  // What no phone tells, a person states.
  await page.goto(`${world.url}/packages/com.brannock.video${lyra}`);
  await page.getByRole("button", { name: "state a link" }).click();
  const dialog = page.getByRole("dialog");
  await dialog
    .getByLabel("Link 1: the package that it rests on")
    .fill("com.brannock.radio");
  await dialog
    .getByLabel("Link 1: what shows it")
    .fill("its first start opens a hint");
  await dialog.getByLabel("How you know").fill("Seen on two phones.");
  await dialog.getByRole("button", { name: "Into the tray" }).click();
  await page.getByRole("button", { name: "Look and send" }).click();
  await page.getByLabel("What this is about").fill("Video needs Radio");
  const tray = page.getByRole("contentinfo", { name: "Tray" });
  await tray.getByRole("button", { name: "Send" }).click();
  await expect(tray).toContainText("Sent.");
  await as(page, world, "reviewer", "/review");
  await page.getByRole("link", { name: /Video needs Radio/ }).click();
  await expect(page.getByRole("article")).toContainText(
    "com.brannock.radio (hard: its first start opens a hint)",
  );
  await page.keyboard.press("a");
  const decided = page.waitForResponse(
    (r) => r.url().includes("/decisions") && r.ok(),
  );
  await page.getByRole("button", { name: "Finish" }).click();
  await decided;
  await page.goto(`${world.url}/packages/com.brannock.radio${lyra}`);
  await expect(
    rests.getByRole("list", { name: "What rests on it" }),
  ).toContainText("video");
  await expect(
    page.getByRole("heading", { name: "Why Tied in is suggested" }),
  ).toBeVisible();
});

test("marked rows tell at once what removing them together leads to", async ({
  page,
  world,
}) => {
  await as(
    page,
    world,
    "technician",
    `/ledger${lyra}&q=name%3Acom.brannock.access`,
  );
  const rows = page.getByTestId("package");
  await expect(rows).toHaveCount(3);
  await rows
    .filter({ hasText: "access.suite" })
    .click({ modifiers: ["Control"] });
  const margin = page.getByRole("complementary");
  await expect(
    margin.getByRole("heading", { name: "If it goes" }),
  ).toBeVisible();
  await expect(margin).toContainText("Stops");
  await page.keyboard.press("X");
  await expect(margin).toContainText("Nothing stops.");
  await page.goto(`${world.url}/ledger${lyra}&q=name%3Acom.brannock.keys`);
  await expect(rows.first()).toBeVisible();
  await page.keyboard.press("X");
  await expect(margin).toContainText("The keyboard would be held by nobody.");
});

test("a profile keeps what rests on it, functions, and the phone whole", async ({
  page,
  world,
}) => {
  await as(page, world, "maintainer", `/profiles${lyra}`);
  await page.getByRole("link", { name: /Ward phone/ }).click();
  const goes = page.getByTestId("goes");
  await expect(goes).not.toHaveText("0");
  const margin = page.getByRole("complementary");
  // The accessibility service is pinned into it: two that stay rest on it.
  const pin = async (name: string, why: string) => {
    const row = page.locator(".row", { hasText: name });
    await row.hover();
    await row.getByRole("button", { name: "take" }).click();
    await page.getByRole("dialog").getByLabel(/Why/).fill(why);
    await page
      .getByRole("dialog")
      .getByRole("button", { name: "Take it" })
      .click();
  };
  await pin("com.brannock.access.suite", "To see what it says.");
  await expect(margin).toContainText("Kept against the cut");
  await expect(margin).toContainText(
    "stays, and uses its library com.brannock.access.feedback",
  );
  // The home screen may go: another one is put in first, and holds the role.
  await expect(margin).toContainText("after step 1");
  // The administrator is withdrawn by a step before.
  await pin("com.brannock.retaildemo", "It plays films in shops.");
  const sheet = page.getByRole("region", { name: "Run sheet" });
  await expect(sheet).toContainText(
    "Put in Open Hearth, and see that it holds the role HOME",
  );
  await expect(sheet).toContainText("com.brannock.retaildemo");
  // Functions to keep.
  await page.getByRole("button", { name: "Rules", exact: true }).click();
  const thin = (await goes.textContent())!;
  await page.getByLabel("The least standing").selectOption("firm");
  await expect(goes).not.toHaveText(thin);
  await page.getByLabel("The least standing").selectOption("thin");
  await expect(goes).toHaveText(thin);
  await page.getByLabel("Paid placement").uncheck();
  await expect(
    page.locator(".row", { hasText: "app.basketree.shop" }),
  ).toHaveAttribute("title", "not of those whose packages may go");
  await page.getByLabel("Paid placement").check();
  // What stays, and why, is found by its reason.
  await page
    .getByLabel("Find in the list, by name or by why it stays")
    .fill("has to stay");
  await expect(page.locator(".row")).toHaveCount(1);
  await page
    .getByLabel("Find in the list, by name or by why it stays")
    .fill("");
  // A firmware that it does not claim asks for nothing.
  await margin.getByRole("checkbox", { name: "14.1.0" }).uncheck();
  await expect(margin).toContainText("not for it");
  await page.getByRole("button", { name: "Compared" }).click();
  await expect(page.getByRole("region", { name: "Compared" })).toContainText(
    "As it is kept; what you changed since is not in it.",
  );
});

test("what differs is told from what is asked for, whatever was kept before", async ({
  page,
  world,
}) => {
  await as(page, world, "maintainer", "/profiles?maker=brannock&model=lyra-5");
  await page.getByRole("link", { name: /Quiet phone/ }).click();
  const line = page.getByRole("slider", { name: /Cut line/ });
  await expect(line).toContainText("40 % harmed");
  const dialog = page.getByRole("dialog");
  const told = dialog
    .getByRole("region", { name: "What differs" })
    .getByRole("listitem");
  const goes = page.getByTestId("goes");
  const before = Number(await goes.textContent());
  for (const move of [1, 2]) {
    await line.press("ArrowDown");
    await expect(goes).not.toHaveText(String(before + move - 1));
    const more = Number(await goes.textContent()) - before;
    await page
      .getByRole("button", { name: "Keep, and ask to publish no. 5" })
      .click();
    await expect(told.filter({ hasText: "Goes now: " })).toHaveCount(more);
    await dialog.getByRole("button", { name: "Cancel" }).click();
  }
  await page
    .getByRole("button", { name: "Ask to publish no. 5", exact: true })
    .click();
  const lines = await told.allTextContents();
  await dialog.getByLabel(/What to say about it/).fill("For the spring.");
  await dialog.getByRole("button", { name: "Ask for it" }).click();
  const waiting = page.getByRole("region", { name: "Waiting to be published" });
  await expect(waiting.getByRole("listitem")).toHaveText(lines);
  await expect(waiting).toContainText("Otherwise than no. 4");
  await expect(waiting).toContainText("For the spring.");
  await waiting.getByRole("button", { name: "Take it back" }).click();
  await expect(waiting).toHaveCount(0);
});

test("rules that were changed and not kept wait, and are let go by a key", async ({
  page,
  world,
}) => {
  await as(page, world, "maintainer", "/profiles?maker=brannock&model=lyra-5");
  await page.getByRole("link", { name: /Short loan/ }).click();
  const line = page.getByRole("slider", { name: /Cut line/ });
  const goes = page.getByTestId("goes");
  await expect(line).toBeVisible();
  const kept = (await goes.textContent())!;
  const saved = page.waitForResponse(
    (r) => r.request().method() === "PUT" && r.url().endsWith("/draft"),
  );
  await line.press("ArrowDown");
  await expect(goes).not.toHaveText(kept);
  const changed = (await goes.textContent())!;
  await saved;
  await page.reload();
  await expect(goes).toHaveText(changed);
  const foot = page.getByRole("contentinfo", { name: "Profile" });
  await expect(foot).toContainText("as you left it, not kept");
  await page.goto(`${world.url}/profiles${lyra}`);
  await expect(
    page.getByRole("row").filter({ hasText: "Short loan" }),
  ).toContainText("changed, not kept");
  await page.getByRole("link", { name: /Short loan/ }).click();
  await expect(goes).toHaveText(changed);
  const gone = page.waitForResponse(
    (r) => r.request().method() === "DELETE" && r.url().endsWith("/draft"),
  );
  await page.keyboard.press("z");
  await expect(goes).toHaveText(kept);
  await gone;
  await page.reload();
  await expect(foot).toContainText("as kept");
});

test("a profile starts from another model’s, is returned with words, and explains why it cannot be", async ({
  page,
  world,
}) => {
  await as(
    page,
    world,
    "maintainer",
    "/profiles?maker=brannock&model=lyra-5-mini",
  );
  await page.getByRole("button", { name: "New profile" }).click();
  const dialog = page.getByRole("dialog");
  await dialog.getByLabel("Edition").fill("Quiet mini");
  await choose(dialog, "The profile to start from", "Lyra 5: Quiet phone");
  await expect(dialog.getByRole("status")).toContainText(
    "of its packages go here, too",
  );
  await dialog.getByRole("button", { name: "Make it" }).click();
  await expect(page.getByRole("region", { name: "Run sheet" })).toContainText(
    "Windows open faster",
  );
  await page.getByRole("button", { name: "Ask to publish no. 1" }).click();
  await dialog.getByRole("button", { name: "Ask for it" }).click();
  const waiting = page.getByRole("region", { name: "Waiting to be published" });
  await expect(waiting).toContainText("Another maintainer has to look at it");
  const address = page.url();
  await as(page, world, "keeper", "/news");
  await page.getByRole("link", { name: "Lyra 5 mini: Quiet mini" }).click();
  await waiting.getByRole("button", { name: "Return", exact: true }).click();
  await waiting.getByLabel("What has to change").fill("Keep the radio.");
  await waiting.getByRole("button", { name: "Return it" }).click();
  await expect(waiting).toHaveCount(0);
  await as(page, world, "maintainer");
  await page.goto(address);
  await expect(
    page.getByRole("button", { name: "Ask to publish no. 1" }),
  ).toBeEnabled();
  // Nobody has tried anything on the tablet: it says so.
  await page.goto(`${world.url}/profiles?maker=ilvara&model=slate-10`);
  await page.getByRole("link", { name: /Reading tablet/ }).click();
  await expect(page.getByRole("complementary")).toContainText(
    "It cannot be published",
  );
  await expect(
    page.getByRole("button", { name: /^Ask to publish/ }),
  ).toBeDisabled();
});
