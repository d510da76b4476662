// What the tests of the desk in a browser share: a desk on the simulated machine with its own folders, and pages that may not go wrong.
// IDLEMETER_COMMAND, WEB_MODULES (a node_modules folder), WIRE (the schema of what the desk answers) and CHROMIUM are set.
import assert from "node:assert/strict";
import { execFileSync, spawn } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before } from "node:test";
import { createRequire } from "node:module";
import { pathToFileURL } from "node:url";

const { IDLEMETER_COMMAND, WEB_MODULES, WIRE, CHROMIUM } = process.env;
const { chromium } = await import(pathToFileURL(join(WEB_MODULES, "playwright-core/index.mjs")));
const Ajv = createRequire(join(WEB_MODULES, "x.js"))("ajv").default;
const axe = readFileSync(join(WEB_MODULES, "axe-core/axe.min.js"), "utf8");
const schema = JSON.parse(readFileSync(WIRE, "utf8"));
export const validate = new Ajv({ allowUnionTypes: true, strictRequired: false }).compile(schema);

export const folder = mkdtempSync(join(tmpdir(), "idlemeter-desk-"));
export const env = { ...process.env, HOME: folder, XDG_RUNTIME_DIR: join(folder, "run"), XDG_CONFIG_HOME: "", XDG_STATE_HOME: "", XDG_DATA_HOME: "", PULSE_SERVER: "unix:/nowhere" };
export const idlemeter = (...words) => execFileSync(IDLEMETER_COMMAND, words, { env, encoding: "utf8" });
export const faces = join(folder, ".config/idlemeter/faces");
const children = [];
export let browser;

export const start = (words) => {
  const child = spawn(IDLEMETER_COMMAND, words, { env, stdio: ["ignore", "pipe", "inherit"] });
  children.push(child);
  return child;
};
/** "/api/runs": what is asked for, below the path that the desk has for itself. */
export const placeOf = (address) => new URL(address).pathname.replace(/^\/[0-9a-f]{32}/, "");
export const until = async (what, seconds = 60) => {
  for (let i = 0; i < 20 * seconds; ++i) {
    if (await what()) return;
    await new Promise((done) => { setTimeout(done, 50); });
  }
  assert.fail(`this didn't come true: ${what}`);
};
const kinds = {
  "/api/runs": "runs", "/api/runs/figures": "run_figures", "/api/run": "run", "/api/run/details": "run_details", "/api/run/lines": "run_lines", "/api/compare": "comparison", "/api/runs/add": "added_runs", "/api/definitions": "definitions",
  "/api/first-minute": "first_minute", "/api/settings": "settings", "/api/formula": "formula", "/api/first-view": "first_view", "/api/faces": "faces", "/api/face": "face", "/api/face/scene": "scene", "/api/keys": "keys", "/api/readings": "readings", "/api/face/edit": "face", "/api/plan": "plan", "/api/demo-game": "demo_game" };

before(async () => {
  mkdirSync(env.XDG_RUNTIME_DIR, { mode: 0o700 });
  const desk = start(["desk", "--no-browser", "--rig"]);
  await new Promise((done) => { desk.stdout.once("data", done); });
  browser = await chromium.launch({ executablePath: CHROMIUM, args: ["--no-sandbox", "--disable-gpu"] });
});
after(async () => {
  await browser?.close();
  for (const child of children) child.kill();
  await until(() => children.every((child) => child.exitCode !== null || child.signalCode !== null));
  rmSync(folder, { recursive: true });
});

// Opens the desk and runs `look` on it; what the browser complains of, a question to elsewhere, and an answer that the schema doesn't have is a failure.
export const open = async ({ allowed = /^$/, ...options }, look) => {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, ...options });
  page.setDefaultTimeout(60_000);
  const address = idlemeter("desk", "--no-browser").trim(), own = address.slice(0, address.indexOf("/?")), wrong = [];
  page.on("console", (message) => allowed.test(message.text()) || wrong.push(message.text()));
  page.on("pageerror", (error) => wrong.push(error.message));
  page.on("request", (request) => request.url().startsWith(own) || request.url().startsWith("blob:") || wrong.push(request.url()));
  page.on("response", async (response) => {
    const kind = kinds[placeOf(response.url())];
    if (!kind || response.status() !== 200) return;
    const answer = await response.json().catch(() => null);  // the page may have gone on meanwhile
    if (answer !== null && !validate({ [kind]: answer })) wrong.push(`${response.url()}: ${JSON.stringify(validate.errors)}`);
  });
  await page.goto(address);
  await look(page, own);
  assert.deepEqual(wrong, []);
  await page.close();
};
export const faults = async (page) => {
  await page.evaluate(axe);
  const { violations } = await page.evaluate(() => window.axe.run());
  return violations.flatMap(({ id, nodes }) => nodes.map((node) => `${id}: ${node.html.slice(0, 200)}`));
};
// Ends every game, as a player does, and waits until their meters have gone.
export const endGames = async () => {
  const all = () => { try { return idlemeter("tell", "state", "--json").trim().split("\n").flatMap((line) => JSON.parse(line).games); } catch { return []; } };
  for (const game of all()) process.kill(game.pid);
  await until(() => all().length === 0);
};

