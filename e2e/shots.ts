// The pictures of docs/screenshots: one current one of each main view.
import { as, expect, hand, lyra, test } from "./world";

test.use({ of: "shots" });

const folder = "../docs/screenshots";

test("pictures", async ({ page, world }) => {
  const shot = async (name: string) => {
    await page.mouse.move(0, 0);
    await page.waitForTimeout(400);
    await page.screenshot({ path: `${folder}/${name}.png` });
  };
  await as(page, world, "technician", `/ledger${lyra}`);
  await page.getByTestId("package").filter({ hasText: "Daily Feed" }).click();
  await shot("ledger");
  await page.emulateMedia({ colorScheme: "dark" });
  await shot("ledger-dark");
  await page.emulateMedia({ colorScheme: "light" });
  await page.goto(`${world.url}/packages/com.brannock.wallet.core${lyra}`);
  await expect(page.getByRole("heading", { name: "Pocket" })).toBeVisible();
  await shot("dossier");
  await page
    .getByRole("heading", { name: /What happened/ })
    .evaluate((e) => e.scrollIntoView());
  await page
    .getByRole("button", { name: /Open its trials/ })
    .first()
    .click();
  await shot("evidence");
  await page.goto(`${world.url}/bench${lyra}`);
  await page.getByRole("button", { name: new RegExp(world.phone) }).click();
  await page.getByRole("button", { name: /^Capture/ }).click();
  await expect(page.getByTestId("stored")).toBeVisible();
  await shot("bench");
  await page.getByRole("link", { name: "What it means" }).click();
  await expect(page.getByRole("region", { name: "Intake" })).toBeVisible();
  await shot("intake");
  await page.goto(`${world.url}/bench${lyra}`);
  await page.getByRole("button", { name: new RegExp(world.phone) }).click();
  await page
    .getByRole("button", { name: "Rehearse Quiet phone, no. 4" })
    .click();
  await expect(
    page.getByRole("region", { name: "Rehearsal" }).getByTestId("counts"),
  ).toContainText("would go");
  await shot("rehearsal");
  await page.getByRole("button", { name: "Run it", exact: true }).click();
  await page.getByRole("button", { name: "Run it now" }).click();
  await expect(page.locator(".step.done").nth(4)).toBeVisible();
  await shot("run");
  await expect(
    page.getByRole("region", { name: "Run", exact: true }),
  ).toContainText("finished");
  await as(page, world, "reviewer", `/review${lyra}`);
  await page.getByRole("link", { name: /lock pictures/ }).click();
  await expect(page.getByRole("article")).toHaveCount(3);
  await page.keyboard.press("a");
  await shot("review");
  await page.goto(`${world.url}/review`);
  await page.getByRole("link", { name: /Tips, in other words/ }).click();
  await page.getByRole("button", { name: "Write" }).click();
  await shot("conflict");
  await page.goto(`${world.url}/lists${lyra}`);
  await page
    .getByLabel("Or paste the list")
    .fill(
      "name;how;why\ncom.brannock.survey;off;asks for stars\ncom.brannock.wallet.core;off;never pays by phone\ncom.brannock.kids;keep;\norg.nobody.knows;off;",
    );
  await page.getByRole("button", { name: "Read it" }).click();
  await page.getByLabel("name of the list").fill("List of a stranger");
  await page.getByLabel("its address").fill("https://lists.example/9");
  await page.getByLabel("package names").selectOption("name");
  await page.getByLabel("grades", { exact: true }).selectOption("how");
  await page.getByLabel("what it says").selectOption("why");
  await page.getByLabel("off is").selectOption("Loose");
  await page
    .getByRole("button", { name: "See what would become of it" })
    .click();
  await expect(page.getByRole("region", { name: "New sources" })).toBeVisible();
  await shot("list");
  await as(page, world, "maintainer", `/profiles${lyra}`);
  await page.getByRole("link", { name: /Quiet phone/ }).click();
  await page.getByRole("slider").press("ArrowDown");
  await page.getByRole("slider").press("ArrowDown");
  await expect(page.getByText("changed, not kept")).toBeVisible();
  await shot("profile");
  await as(page, world, "keeper", "/people");
  await expect(page.getByRole("row")).toHaveCount(10);
  await shot("people");
  await page.goto(`${world.url}/r/brannock/lyra-5/quiet-phone`);
  await shot("release");

  // The phone takes its update, and is captured.
  await hand(page, world, "update");
  await page.goto(`${world.url}/bench${lyra}`);
  await page.getByRole("button", { name: new RegExp(world.phone) }).click();
  await page.getByRole("button", { name: new RegExp(world.phone) }).click();
  await expect(
    page.getByRole("region", { name: "Phone", exact: true }),
  ).toContainText("15.0.1, Android 15");
  await page.getByRole("button", { name: /^Capture/ }).click();
  await expect(page.getByTestId("stored")).toBeVisible();
  await as(page, world, "maintainer");
  await expect(
    page
      .getByRole("grid", { name: "What waits for you" })
      .getByRole("row")
      .first(),
  ).toContainText("would stop");
  await shot("desk");
  await page.keyboard.press("Enter");
  await expect(
    page.getByRole("region", { name: "A release on a firmware" }),
  ).toContainText("Marked as not for this firmware");
  await shot("hold");
  await page.goto(`${world.url}/builds${lyra}`);
  await expect(
    page.getByRole("button", { name: /^15\.0\.1, Android 15/ }),
  ).toBeVisible();
  await shot("builds");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("group", { name: "Differences" })).toContainText(
    "com.brannock.tunes",
  );
  await shot("compare");
  await page.goto(`${world.url}/builds?maker=brannock`);
  await expect(page.getByRole("grid", { name: "Models" })).toContainText(
    "Lyra 5",
  );
  await shot("coverage");
});
