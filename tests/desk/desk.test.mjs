// The desk in a browser: a newcomer's way by mouse, by keyboard and by touch, on the simulated machine and a game that really runs.
// usage: xvfb-run node --test desk.test.mjs, with IDLEMETER_COMMAND, RALLY (the game), WEB_MODULES (a node_modules folder), WIRE (the schema of what the
// desk answers) and CHROMIUM set.
import assert from "node:assert/strict";
import { execFileSync, spawn } from "node:child_process";
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { createRequire } from "node:module";
import { pathToFileURL } from "node:url";

const { IDLEMETER_COMMAND, RALLY, WEB_MODULES, WIRE, CHROMIUM } = process.env;
const { chromium } = await import(pathToFileURL(join(WEB_MODULES, "playwright-core/index.mjs")));
const Ajv = createRequire(join(WEB_MODULES, "x.js"))("ajv").default;
const axe = readFileSync(join(WEB_MODULES, "axe-core/axe.min.js"), "utf8");
const schema = JSON.parse(readFileSync(WIRE, "utf8"));
const validate = new Ajv({ allowUnionTypes: true, strictRequired: false }).compile(schema);

const folder = mkdtempSync(join(tmpdir(), "idlemeter-desk-"));
const env = { ...process.env, HOME: folder, XDG_RUNTIME_DIR: join(folder, "run"), XDG_CONFIG_HOME: "", XDG_STATE_HOME: "", XDG_DATA_HOME: "" };
const idlemeter = (...words) => execFileSync(IDLEMETER_COMMAND, words, { env, encoding: "utf8" });
const faces = join(folder, ".config/idlemeter/faces");
const children = [];
let browser;

const start = (words) => {
  const child = spawn(IDLEMETER_COMMAND, words, { env, stdio: ["ignore", "pipe", "inherit"] });
  children.push(child);
  return child;
};
const until = async (what, seconds = 20) => {
  for (let i = 0; i < 20 * seconds; ++i) {
    if (await what()) return;
    await new Promise((done) => { setTimeout(done, 50); });
  }
  assert.fail(`this didn't come true: ${what}`);
};
const kinds = { "/api/faces": "faces", "/api/face": "face", "/api/face/scene": "scene", "/api/keys": "keys", "/api/readings": "readings", "/api/face/edit": "face" };

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
const open = async ({ allowed = /^$/, ...options }, look) => {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, ...options });
  page.setDefaultTimeout(20_000);
  const address = idlemeter("desk", "--no-browser").trim(), own = new URL(address).origin, wrong = [];
  page.on("console", (message) => allowed.test(message.text()) || wrong.push(message.text()));
  page.on("pageerror", (error) => wrong.push(error.message));
  page.on("request", (request) => request.url().startsWith(own) || request.url().startsWith("blob:") || wrong.push(request.url()));
  page.on("response", async (response) => {
    const kind = kinds[new URL(response.url()).pathname];
    if (!kind || response.status() !== 200) return;
    const answer = await response.json().catch(() => null);  // the page may have gone on meanwhile
    if (answer !== null && !validate({ [kind]: answer })) wrong.push(`${response.url()}: ${JSON.stringify(validate.errors)}`);
  });
  await page.goto(address);
  await look(page, own);
  assert.deepEqual(wrong, []);
  await page.close();
};
const faults = async (page) => {
  await page.evaluate(axe);
  const { violations } = await page.evaluate(() => window.axe.run());
  return violations.flatMap(({ id, nodes }) => nodes.map((node) => `${id}: ${node.html.slice(0, 200)}`));
};
const saved = (page) => page.getByRole("status").filter({ hasText: /^Saved$/ }).waitFor();
const overlay = (page) => page.getByRole("button", { name: "The whole overlay" });
const text = (name) => readFileSync(join(faces, `${name}.toml`), "utf8");
const drag = async (page, from, to) => {
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move((from.x + to.x) / 2, (from.y + to.y) / 2, { steps: 4 });
  await page.mouse.move(to.x, to.y, { steps: 4 });
  await page.mouse.up();
};
// Whether the display shows that colour anywhere.
const isSeen = (color) =>
  execFileSync("sh", ["-c", `import -window root miff:- | convert - -fill black +opaque '${color}' -format '%[fx:maxima]' info:`], { env, encoding: "utf8" }) !== "0";

test("leads a newcomer by mouse from a starter to an overlay on the game, and two runs", async () => {
  await open({}, async (page) => {
    await page.getByRole("button", { name: "Make it mine" }).click();
    await page.getByLabel("Its name").fill("reef");
    await page.getByRole("button", { name: "Go" }).click();
    await until(() => existsSync(join(faces, "reef.toml")));
    await page.getByLabel("Find a reading").fill("hot");
    await page.getByRole("row", { name: "GPU hotspot temperature" }).click();
    await page.getByRole("row", { name: "GPU hotspot temperature", selected: true }).waitFor();
    assert.match(text("reef"), /label = "GPU"[^]*gpu\.hotspot/);

    await page.getByRole("button", { name: "Edit GPU hotspot temperature" }).click();
    await page.getByLabel("Title").fill("hot");
    await page.getByLabel("Color", { exact: true }).fill("#ff5060");
    await until(() => /title = "hot"/.test(text("reef")) && /color = "#ff5060"/.test(text("reef")));
    await saved(page);
    const box = await overlay(page).boundingBox(), stage = await page.locator(".picture").boundingBox();
    await drag(page, { x: box.x + 30, y: box.y + 20 }, { x: stage.x + stage.width - 30, y: stage.y + stage.height - 20 });
    await until(() => /anchor = "bottom-right"/.test(text("reef")));
    await page.keyboard.press("Control+z");
    await until(() => /anchor = "top-left"/.test(text("reef")));
    await page.keyboard.press("Control+Shift+z");
    await until(() => /anchor = "bottom-right"/.test(text("reef")));

    start(["play", "--quiet", "--face", "reef", "--", RALLY, "--size", "640x360"]);
    await page.getByRole("link", { name: "Live" }).click();
    await page.getByText("since the overlay was started").waitFor();
    assert.deepEqual(await faults(page), []);
    const events = await page.evaluate(() => new Promise((done) => {
      const source = new EventSource("/api/live?readings=cpu.load"), all = [];
      source.onmessage = (event) => { if (all.push(JSON.parse(event.data)) === 5) done(all); };
    }));
    for (const event of events) assert.ok(validate({ event }), JSON.stringify(validate.errors));
    assert.ok(events.some((event) => event.update?.games[0]?.new_frames_ns?.length > 0), "frames as they come");
    for (const run of [1, 2]) {
      await page.getByLabel("For, seconds").fill("1");
      await page.getByLabel("Settings tried").fill("Preset=High");
      await page.locator("form").getByRole("button", { name: "Record" }).click();
      await until(() => JSON.parse(idlemeter("runs", "--json")).filter((one) => one.finished).length === run);
    }
    await page.getByRole("link", { name: "Face" }).click();
    await overlay(page).click({ position: { x: 2, y: 2 } });
    await page.getByRole("button", { name: /more$/ }).click();
    await page.getByLabel("Box color", { exact: true }).fill("#00ff00");
    await page.getByLabel("Box opacity").fill("1");
    await page.getByLabel("Corner or edge").click();
    await page.getByRole("option", { name: "top-left" }).click();
    await until(() => isSeen("#00ff00"), 10);
    children.pop().kill();
  });
});

test("can be used by keyboard alone", async () => {
  await open({}, async (page, own) => {
    await page.goto(`${own}/face?face=thermals`);
    const focus = async (name) => {
      for (let i = 0; i < 40; ++i) {
        await page.keyboard.press("Tab");
        const here = await page.evaluate(() => document.activeElement?.getAttribute("aria-label") ?? document.activeElement?.textContent ?? "");
        if (name.test(here)) return;
      }
      assert.fail(`no way by Tab to ${name}`);
    };
    await page.getByRole("button", { name: /^Row/ }).first().waitFor();
    await focus(/^Make it mine/);
    await page.keyboard.press("Enter");
    await page.keyboard.press("Control+a");
    await page.keyboard.type("keys");
    await page.keyboard.press("Enter");
    await until(() => existsSync(join(faces, "keys.toml")));
    await page.getByText("Saved").waitFor();
    await focus(/^The whole overlay/);
    const before = text("keys");
    await page.keyboard.press("ArrowRight");
    await until(() => text("keys") !== before);
    await saved(page);
    await focus(/^Row/);
    const rows = text("keys");
    await page.keyboard.press("ArrowDown");
    await until(() => text("keys") !== rows);
    await page.keyboard.press("1");  // a place is one key away
    await page.getByRole("heading", { name: "No game runs yet" }).waitFor();
    await page.keyboard.press("2");
    await page.goBack();
    await page.getByRole("heading", { name: "No game runs yet" }).waitFor();
  });
});

test("can be used by touch, on a handheld", async () => {
  await open({ hasTouch: true, isMobile: true }, async (page, own) => {
    idlemeter("face", "new", "touch", "--from", "rate");
    await page.goto(`${own}/face?face=touch`);
    await page.getByLabel("Find a reading").fill("vram");
    await page.getByRole("row", { name: /^GPU memory used/ }).first().tap();
    await until(() => /gpu\.memory/.test(text("touch")));
    const small = await page.evaluate(() => [...document.querySelectorAll(".reading, .face-bar button")].filter((one) => one.getBoundingClientRect().height < 44).length);
    assert.equal(small, 0, "targets of under 44 pixels");
  });
});

test("takes over what was changed elsewhere, also with a mistake in it", async () => {
  await open({ allowed: /409 \(Conflict\)|400 \(Bad Request\)/ }, async (page, own) => {
    idlemeter("face", "new", "both", "--from", "rate");
    await page.goto(`${own}/face?face=both`);
    await overlay(page).waitFor();
    idlemeter("face", "set", "both", "text.size=31");  // as an editor, or another desk
    await until(async () => (await page.getByLabel("Text size").inputValue()) === "31");
    await page.getByLabel("Text size").fill("29");
    await until(() => /size = 29/.test(text("both")));
    writeFileSync(join(faces, "both.toml"), "[[row]\n");
    await page.locator(".findings .error").first().waitFor();
    assert.equal(text("both"), "[[row]\n", "what a person wrote stays");
  });
});

test("shows the command that does the same", async () => {
  await open({}, async (page, own) => {
    idlemeter("face", "new", "shown", "--from", "benchmark");
    await page.goto(`${own}/face?face=shown`);
    await overlay(page).waitFor();
    // Does something on the page, and then what the page says on the face as it was before.
    const both = async (act) => {
      const before = text("shown");
      await act();
      await until(() => text("shown") !== before);
      await saved(page);
      writeFileSync(join(faces, "twin.toml"), before);
      const command = (await page.locator(".as-command").textContent()).replace(" shown ", " twin ");
      execFileSync("sh", ["-c", command.replace(/^idlemeter/, IDLEMETER_COMMAND)], { env });
      assert.equal(text("twin"), text("shown"), command);
    };
    await both(() => page.getByRole("row", { name: "GPU power" }).first().click());
    await both(() => page.getByLabel("Text size").fill("26"));
    await both(async () => {
      const box = await overlay(page).boundingBox(), stage = await page.locator(".picture").boundingBox();
      await drag(page, { x: box.x + 30, y: box.y + 20 }, { x: stage.x + stage.width - 30, y: stage.y + 40 });
    });
    await page.getByRole("button", { name: "Row Lows" }).click({ position: { x: 2, y: 2 } });
    await both(() => page.getByLabel("Label").fill("slow 'uns"));
    await both(() => page.getByLabel("Label").fill(""));
    await both(() => page.getByRole("button", { name: "Take it off" }).click());
  });
});

test("shows hostile names as what they are", async () => {
  await open({}, async (page, own) => {
    const hostile = `"><img src=x onerror="document.title='owned'"> \u202Eevil`;
    idlemeter("face", "new", "hostile", "--from", "rate");
    idlemeter("face", "add", "hostile", "gpu.load", "--row", hostile);
    await page.goto(`${own}/face?face=hostile&part=row:1&size=${encodeURIComponent(hostile)}&ground=day`);
    await page.getByRole("tab", { name: "On the overlay" }).click();
    await page.getByText("<img src=x").first().waitFor();
    assert.equal(await page.title(), "Idle Meter");
  });
});

test("has no fault that axe-core knows, bright or dark, in any view", async () => {
  for (const colorScheme of ["light", "dark"]) {
    await open({ colorScheme }, async (page, own) => {
      for (const path of ["/live", "/face?face=benchmark", "/face?face=reef&part=row:1"]) {
        await page.goto(own + path);
        await page.locator("main").getByRole("button").first().waitFor();
        assert.deepEqual(await faults(page), [], `${colorScheme} ${path}`);
      }
    });
  }
});

test("is small and quick to come", async () => {
  await open({}, async (page) => {
    const sent = await page.evaluate(() => performance.getEntriesByType("resource").filter((one) => /\.(js|css)$/.test(one.name)).reduce((sum, one) => sum + one.encodedBodySize, 0));
    assert.ok(sent > 50_000 && sent < 300_000, `${sent} bytes`);
  });
});
