// The report in a browser: what is read, zoomed, printed and typed in it, and that nothing hostile gets through.
// usage: node --test report.test.mjs, with IDLEMETER_COMMAND, WEB_MODULES (a node_modules folder) and CHROMIUM set.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, statSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { pathToFileURL } from "node:url";

const { IDLEMETER_COMMAND, WEB_MODULES, CHROMIUM } = process.env;
const { chromium } = await import(pathToFileURL(join(WEB_MODULES, "playwright-core/index.mjs")));
const axe = readFileSync(join(WEB_MODULES, "axe-core/axe.min.js"), "utf8");

const folder = mkdtempSync(join(tmpdir(), "idlemeter-report-"));
const idlemeter = (...words) => execFileSync(IDLEMETER_COMMAND, words, { cwd: folder, env: { ...process.env, HOME: folder } });
const hostile = `</script><img src=x onerror="document.title='owned'"> \u202Eevil\u200F & "quoted" 'x'`;
const long = "long ".repeat(2_000);
let browser;

before(async () => {
  idlemeter("demo", "--folder", "d");
  idlemeter("report", "4-8", "9-13", "--store", "d/runs.db", "-o", "report.html");
  idlemeter("runs", "change", "1", "--store", "d/runs.db", "--game", hostile, "--note", long, "--set", `${hostile}=${hostile}`, "--tag", hostile);
  idlemeter("report", "1", "2", "--store", "d/runs.db", "-o", "hostile.html", "--title", hostile, "--note", hostile);
  browser = await chromium.launch({ executablePath: CHROMIUM, args: ["--no-sandbox", "--disable-gpu"] });
});
after(async () => {
  await browser?.close();
  rmSync(folder, { recursive: true });
});

// Opens a report and runs `look` on it; what the browser complains of or asks the network for is a failure.
const open = async (name, options, look) => {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, ...options });
  const wrong = [];
  page.on("console", (message) => wrong.push(message.text()));
  page.on("pageerror", (error) => wrong.push(error.message));
  page.on("dialog", (dialog) => wrong.push(dialog.message()));
  page.on("request", (request) => request.url() === pathToFileURL(join(folder, name)).href || wrong.push(request.url()));
  await page.goto(pathToFileURL(join(folder, name)).href);
  await look(page);
  assert.deepEqual(wrong, []);
  await page.close();
};
const plots = (page) => page.locator(".chart .u-over");
const told = (page, plot = 0) => page.locator("figure output").nth(plot).textContent();
const moment = (text) => { const [minutes, seconds] = text.match(/^(\d+):([\d.]+)/).slice(1).map(Number); return 60 * minutes + seconds; };
const hover = async (page, share, plot = 0) => {
  await plots(page).nth(plot).scrollIntoViewIfNeeded();
  const box = await plots(page).nth(plot).boundingBox();
  await page.mouse.move(box.x + share * box.width, box.y + box.height / 2);
};

test("says what really differs, in a file under 2 MB", async () => {
  assert.ok(statSync(join(folder, "report.html")).size < 2e6);
  await open("report.html", { javaScriptEnabled: false }, async (page) => {
    const text = await page.locator("body").innerText();
    for (const words of ["Quality against no Upscaler: average frame rate +", "faster, best", "What else differs", "Definitions"])
      assert.ok(text.includes(words), words);
    assert.equal(await page.locator("#summary tbody tr").count(), 10);
  });
});

test("tells the frame under the pointer, in all plots over time", () => open("report.html", {}, async (page) => {
  await plots(page).first().scrollIntoViewIfNeeded();
  await hover(page, 0.4);
  const text = await told(page), at = moment(text);
  const { runs } = JSON.parse(await page.locator("#data").textContent());
  let end = runs[0].frames.begin_us / 1e6, best = null;
  for (const us of runs[0].frames.us) {
    end += us / 1e6;
    if (best === null || Math.abs(end - at) < Math.abs(best.end - at)) best = { end, ms: us / 1e3 };
  }
  const shown = Number(text.match(/run 4, Medium: ([\d.]+) ms/)[1]);
  assert.ok(Math.abs(shown - best.ms) < 0.006 || Math.abs(best.end - at) > 0.004, `${text} but ${best.ms}`);
  assert.match(text, /run 9, Medium, Quality: [\d.]+ ms$/);
  assert.equal(moment(await told(page, 1)).toFixed(1), at.toFixed(1));
  assert.match(await told(page, 2), /°C/);
}));

test("zooms all plots over time together, by mouse and by keyboard", () => open("report.html", {}, async (page) => {
  await plots(page).first().scrollIntoViewIfNeeded();
  await hover(page, 0.25);
  await page.mouse.down();
  await hover(page, 0.5);
  await page.mouse.up();
  for (const plot of [0, 1]) {
    await hover(page, 0.001, plot);
    assert.ok(Math.abs(moment(await told(page, plot)) - 15) < 0.5, await told(page, plot));
  }
  await page.locator("#whole").click();
  await page.locator(".chart").first().focus();
  await page.keyboard.press("Home");
  assert.equal(moment(await told(page)), 0);
  await page.keyboard.press("ArrowRight");
  assert.ok(moment(await told(page)) > 0.2);
  await page.keyboard.press("End");
  const end = moment(await told(page));
  assert.ok(end > 59);
  for (const key of ["Home", "+", "+", "End"]) await page.keyboard.press(key);
  assert.ok(Math.abs(moment(await told(page)) - end / 4) < 0.1);
  await page.keyboard.press("0");
  await page.keyboard.press("End");
  assert.equal(moment(await told(page)), end);
}));

test("jumps to a stutter, shows its run, and other readings", () => open("report.html", {}, async (page) => {
  const jump = page.locator(".jump[data-run='6']").first();
  const at = Number(await jump.getAttribute("data-from")) + 1;
  await jump.click();
  assert.ok(Math.abs(moment(await told(page)) - at) < 1);
  assert.match(await told(page), /run 10, Medium, Quality/);
  const reading = page.getByLabel("Second reading");
  await reading.selectOption("gpu.power");
  await hover(page, 0.5, 3);
  assert.match(await told(page, 3), / W/);
}));

test("is bright, dark, narrow and on paper", async () => {
  const ground = (page) => page.evaluate(() => getComputedStyle(document.body).backgroundColor);
  await open("report.html", { colorScheme: "dark" }, async (page) => {
    assert.equal(await ground(page), "rgb(16, 20, 31)");
    assert.equal((await page.pdf()).subarray(0, 5).toString(), "%PDF-");
    assert.equal(await ground(page), "rgb(16, 20, 31)");
    await page.getByLabel("Look").selectOption("light");
    assert.equal(await ground(page), "rgb(255, 255, 255)");
  });
  for (const name of ["report.html", "hostile.html"]) {
    await open(name, { viewport: { width: 390, height: 800 } }, async (page) =>
      assert.ok(await page.evaluate(() => document.documentElement.scrollWidth) <= 390, name));
  }
});

test("can be used by everybody, as far as a program can tell", async () => {
  for (const colorScheme of ["light", "dark"]) {
    await open("report.html", { colorScheme }, async (page) => {
      await page.evaluate(axe);
      const { violations } = await page.evaluate(() => axe.run());
      assert.deepEqual(violations.filter((one) => ["serious", "critical"].includes(one.impact))
        .map((one) => `${one.id}: ${one.nodes.map((node) => node.target).join(" ")}`), []);
    });
  }
});

test("shows what was typed as text, whatever it is", () => open("hostile.html", {}, async (page) => {
  const { title, text, images } = await page.evaluate(() =>
    ({ title: document.title, text: document.body.textContent, images: document.images.length }));
  assert.equal(images, 0);
  assert.ok(title.startsWith("</script><img src=x onerror="));
  assert.ok(text.includes(`'owned'"> \uFFFDevil\u200F & "quoted" 'x'`));
  assert.ok(text.includes(long.trim()));
  assert.ok(!text.includes("\u202E"), "turns the direction of what follows");
}));
