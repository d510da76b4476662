// usage: node report_pictures.mjs NODE_MODULES REPORT.html FOLDER: report.png, its first screen, and report-plots.png, its plots in the
// dark, zoomed, with the pointer over them.
import { join } from "node:path";
import { pathToFileURL } from "node:url";

const [modules, report, folder] = process.argv.slice(2);
const { chromium } = await import(pathToFileURL(join(modules, "playwright-core/index.mjs")));
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu"] });
const open = async (colorScheme) => {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme });
  await page.goto(pathToFileURL(report).href);
  return page;
};
await (await open("light")).screenshot({ path: join(folder, "report.png") });
const page = await open("dark");
const plot = page.locator(".chart .u-over").first();
await page.locator("#charts").scrollIntoViewIfNeeded();
await page.evaluate(() => document.getElementById("charts").scrollIntoView());
const at = async (share) => {
  const box = await plot.boundingBox();
  await page.mouse.move(box.x + share * box.width, box.y + box.height / 2);
};
await at(0.2);
await page.mouse.down();
await at(0.62);
await page.mouse.up();
await at(0.36);
await page.screenshot({ path: join(folder, "report-plots.png") });
await browser.close();
