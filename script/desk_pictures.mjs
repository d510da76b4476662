// usage: node desk_pictures.mjs NODE_MODULES GAME FOLDER: a picture of each of the desk's places, on the demo's runs, and while the game is played.
// `idlemeter` is in PATH; HOME and XDG_RUNTIME_DIR are empty folders.
import { execFileSync, spawn } from "node:child_process";
import { join } from "node:path";
import { pathToFileURL } from "node:url";

const [modules, game, folder] = process.argv.slice(2);
const { chromium } = await import(pathToFileURL(join(modules, "playwright-core/index.mjs")));
const started = [];
const start = (...words) => started.push(spawn("idlemeter", words, { stdio: ["ignore", "pipe", "inherit"] }));
execFileSync("idlemeter", ["demo", "--folder", join(process.env.HOME, "demo")]);
start("desk", "--no-browser", "--rig", "--store", join(process.env.HOME, "demo/runs.db"));
const address = await new Promise((done) => { started[0].stdout.once("data", (text) => { done(String(text).trim()); }); });
execFileSync("idlemeter", ["face", "new", "reef", "--from", "benchmark"]);
execFileSync("idlemeter", ["face", "add", "reef", "gpu.hotspot.temp", "--row", "GPU"]);
execFileSync("idlemeter", ["face", "set", "reef", "GPU/gpu.hotspot.temp", "title=hot", "caution=85"]);

const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu"] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await page.goto(address);
await page.getByRole("button", { name: "Don’t show this" }).click();
await page.goto(new URL("/face?face=reef&size=1280x720&part=row:5/3", address).href);
await page.getByLabel("Find a reading").fill("hot");
await page.waitForTimeout(4000);
await page.screenshot({ path: join(folder, "desk-face.png") });

for (const [name, path] of [["runs", "/runs?pick=4-8"], ["machine", "/machine"]]) {
  await page.goto(new URL(path, address).href);
  await page.waitForTimeout(3000);
  await page.screenshot({ path: join(folder, `desk-${name}.png`) });
}

start("play", "--quiet", "--game", "Tidepool Rally", "--face", "reef", "--", game, "--rate", "60", "--size", "640x360");
await page.goto(new URL("/live", address).href);
await page.getByLabel("Settings tried").fill("Preset=High");
await page.locator("form").getByRole("button", { name: "Record" }).click();
await page.waitForTimeout(11000);
await page.screenshot({ path: join(folder, "desk-live.png") });
await browser.close();
for (const child of started.reverse()) child.kill();
