// The desk in a browser: the first minute, the machine with its settings, and any action by typing.
// usage: xvfb-run node --test machine.test.mjs; see browser.mjs.
import assert from "node:assert/strict";
import { existsSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterEach, test } from "node:test";
import { endGames, faults, folder, idlemeter, open, until } from "./browser.mjs";

const settings = join(folder, ".config/idlemeter/settings.toml");
const text = () => (existsSync(settings) ? readFileSync(settings, "utf8") : "");

afterEach(endGames);

test("leads from nothing to a result, a step at a time, and never again", async () => {
  await open({}, async (page, own) => {
    const guide = page.getByRole("complementary", { name: "The first minute" });
    const isAt = (name) => guide.locator("[aria-current=step]", { hasText: name }).waitFor();
    const show = () => guide.getByRole("button", { name: "Show me where" }).click();
    await isAt("An overlay");
    assert.deepEqual(await faults(page), []);
    await page.getByRole("button", { name: "Make it mine …" }).click();
    await page.keyboard.press("Enter");
    await isAt("A game");
    await show();
    await page.getByRole("button", { name: "Try it on Tidepool Rally" }).click();
    await isAt("A run");
    await page.locator(".record-form").getByRole("textbox", { name: "For", exact: true }).fill("1s");
    await page.locator(".record-form").getByRole("button", { name: "Record", exact: true }).click();
    await isAt("Its result");
    await show();
    await page.getByRole("heading", { name: /^Run 1: Tidepool Rally/ }).waitFor();
    await guide.getByText("That was all").waitFor();
    await guide.getByRole("button", { name: "Close" }).click();
    await guide.waitFor({ state: "detached" });
    await page.goto(`${own}/face`);
    await page.getByRole("button", { name: "Copy …" }).waitFor();
    assert.equal(await guide.count(), 0);
  });
});

test("says what is measured, what isn't and why, and keeps settings in the file with its comments", async () => {
  mkdirSync(join(folder, ".config/idlemeter"), { recursive: true });
  writeFileSync(settings, `# of Bramble\n${text()}`);
  await open({ allowed: /503|400/ }, async (page, own) => {
    await page.goto(`${own}/machine`);
    await page.getByRole("searchbox", { name: "Find a reading" }).fill("hotspot");
    await page.locator(".measured").getByText("GPU hotspot temperature").waitFor();
    await page.getByRole("searchbox", { name: "Find a reading" }).fill("");
    await page.getByRole("button", { name: /missing$/ }).click();
    await page.locator(".measured .why").first().waitFor();
    // A key by pressing it.
    await page.getByRole("button", { name: /^show or hide the overlay/ }).click();
    await page.keyboard.press("Control+Shift+F9");
    await until(() => /show = "Shift\+Ctrl\+F9"/.test(text()));
    // A way of a cue; and what is wrong when it can't be heard here.
    const cue = page.getByRole("group", { name: /^start/ });
    await cue.getByText("speech").click();
    await until(() => /start = \["tone","speech"\]|start = \["tone", "speech"\]/.test(text()));
    await cue.getByText("speech").click();
    await until(() => !/speech/.test(text()));
    await page.getByRole("button", { name: "Try it: the cue start" }).click();
    await cue.getByRole("alert").waitFor();
    // A formula, with its value while it is typed.
    await page.getByRole("textbox", { name: "Formula" }).fill("cpu.load / 0 +");
    await page.getByRole("region", { name: "Readings of your own" }).getByRole("alert").waitFor();
    await page.getByRole("textbox", { name: "Formula" }).fill("cpu.load * 2");
    await page.getByText(/^now \d/).waitFor();
    await page.getByRole("textbox", { name: "Id" }).fill("own.twice");
    await page.getByRole("button", { name: "Add it" }).click();
    await page.getByRole("button", { name: "Remove own.twice" }).waitFor();
    assert.match(text(), /^# of Bramble\n[^]*\[\[computed\]\]\nid = "own.twice"\nformula = "cpu.load \* 2"/);
    assert.match(idlemeter("readings", "own.twice", "--rig"), /own\.twice/);
    assert.deepEqual(await faults(page), []);
    await page.getByRole("button", { name: "Remove own.twice" }).click();
    await until(() => !/own\.twice/.test(text()));
  });
});

test("finds any action by typing, with its command", async () => {
  await open({}, async (page, own) => {
    await page.goto(`${own}/live`);
    await page.getByRole("button", { name: "Copy" }).waitFor();
    const ask = async (words, name) => {
      await page.keyboard.press("Control+k");
      await page.getByRole("searchbox", { name: "What would you like to do?" }).fill(words);
      await page.getByRole("menuitem", { name }).first().waitFor();
    };
    await ask("run 1", /Run 1: Tidepool Rally/);
    await page.getByText("idlemeter runs show 1").waitFor();
    assert.deepEqual(await faults(page), []);
    await page.getByRole("menuitem", { name: /Run 1/ }).click();
    await page.getByRole("heading", { name: /^Run 1/ }).waitFor();
    await ask("vram", /memory/);
    await page.keyboard.press("Escape");
    await ask("sensors", /Go to Machine/);
    const reached = page.locator("[role=menuitem][data-focused]", { hasText: "Go to Machine" });
    await until(async () => await reached.count() === 1 || (await page.keyboard.press("ArrowDown"), false));
    await page.keyboard.press("Enter");
    await page.getByRole("heading", { name: "Settings" }).waitFor();
  });
});

test("has no fault that axe-core knows in runs and machine, bright or dark, also narrow", async () => {
  for (const [colorScheme, viewport] of [["light", { width: 640, height: 480 }], ["dark", { width: 1280, height: 800 }]]) {
    await open({ colorScheme, viewport, hasTouch: true }, async (page, own) => {
      await page.goto(`${own}/runs`);
      await page.locator(".run-rows").getByRole("row").first().tap();
      await page.getByRole("heading", { name: /^Run 1/ }).waitFor();
      for (const [path, seen] of [["/runs?pick=1", ".tray"], ["/runs?run=1", ".run-line canvas"], ["/runs?groups=1", ".groups"], ["/machine", ".settings"]]) {
        await page.goto(own + path);
        await page.locator(seen).first().waitFor();
        assert.deepEqual(await faults(page), [], `${colorScheme} ${path}`);
        assert.equal(await page.evaluate(() => document.documentElement.scrollWidth > window.innerWidth), false, `${path} is wider than the window`);
      }
    });
  }
});
