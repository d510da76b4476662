// The desk in a browser: a newcomer's way by mouse, by keyboard and by touch, on the simulated machine and a game that really runs.
// usage: xvfb-run node --test desk.test.mjs; see browser.mjs.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterEach, test } from "node:test";
import { browser, endGames, env, faces, faults, idlemeter, open, start, until, validate } from "./browser.mjs";

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

afterEach(endGames);

// The three ways to operate the page: press a thing, write into a field, choose, and bring the overlay to the picture's bottom right corner.
const byPointer = (page, press) => ({
  press,
  write: async (field, words) => { await press(field); await field.fill(words); },
  choose: async (box, name) => { await press(box); await press(page.getByRole("option", { name })); },
});
const byMouse = (page) => ({
  ...byPointer(page, (thing) => thing.click()),
  selectOverlay: () => overlay(page).click({ position: { x: 2, y: 2 } }),
  toCorner: async (box, stage) => drag(page, { x: box.x + 30, y: box.y + 20 }, { x: stage.x + stage.width - 30, y: stage.y + stage.height - 20 }),
});
const byTouch = (page) => ({
  ...byPointer(page, (thing) => thing.tap()),
  selectOverlay: () => page.getByRole("button", { name: "Overlay", exact: true }).tap(),
  toCorner: async (box, stage) => {
    const finger = await page.context().newCDPSession(page);
    const to = (type, x, y) => finger.send("Input.dispatchTouchEvent", { type, touchPoints: type === "touchEnd" ? [] : [{ x, y }] });
    await to("touchStart", box.x + 30, box.y + 20);
    await to("touchMove", stage.x + stage.width / 2, stage.y + stage.height / 2);
    await to("touchMove", stage.x + stage.width - 30, stage.y + stage.height - 20);
    await to("touchEnd");
  },
});
const byKeyboard = (page) => {
  const hasFocus = (thing) => thing.evaluate((one) => one === document.activeElement || document.activeElement?.getAttribute("aria-activedescendant") === one.id);
  const isAround = (thing) => thing.evaluate((one) => document.activeElement?.closest("[role=grid], [role=listbox], [role=tablist]")?.contains(one) ?? false);
  const isInRow = (thing) => thing.evaluate((one) => document.activeElement?.closest("[role=row]")?.contains(one) ?? false);
  const reach = async (thing) => {
    await thing.waitFor();
    for (let i = 0; i < 150; ++i) {
      if (await hasFocus(thing)) return;
      await page.keyboard.press((await isInRow(thing)) ? "ArrowRight" : (await isAround(thing)) ? "ArrowDown" : "Tab");
    }
    assert.fail(`no way by keys to ${thing}`);
  };
  const press = async (thing) => { await reach(thing); await page.keyboard.press("Enter"); };
  const choose = async (box, name) => { await press(box); await press(page.getByRole("option", { name })); };
  return {
    press, choose, selectOverlay: () => press(overlay(page)),
    write: async (field, words) => { await reach(field); await page.keyboard.press("Control+a"); await page.keyboard.type(words); },
    toCorner: async () => { await choose(page.getByLabel("Corner or edge"), "bottom-right"); },
  };
};

// A newcomer's whole way, on an empty machine: from a starter to an overlay on the game, and two runs.
const newcomersWay = async (page, hands, name, look = async () => {}) => {
  const file = `${name}.toml`;
  const runs = () => {
    try {
      return JSON.parse(idlemeter("runs", "--json")).filter((one) => one.finished).length;
    } catch { return 0; }  // there is no store yet, or it is just being made
  };
  await hands.press(page.getByRole("button", { name: "Make it mine" }));
  await hands.write(page.getByLabel("Its name"), name);
  await hands.press(page.getByRole("button", { name: "Go" }));
  await until(() => existsSync(join(faces, file)));
  await hands.write(page.getByLabel("Find a reading"), "hot");
  await hands.press(page.getByRole("row", { name: "GPU hotspot temperature" }));
  await page.getByRole("row", { name: "GPU hotspot temperature", selected: true }).waitFor();
  assert.match(text(name), /label = "GPU"[^]*gpu\.hotspot/);
  await hands.press(page.getByRole("button", { name: "Edit GPU hotspot temperature" }));
  await hands.write(page.getByLabel("Title"), "hot");
  await hands.write(page.getByLabel("Color", { exact: true }), "#ff5060");
  await until(() => /title = "hot"/.test(text(name)) && /color = "#ff5060"/.test(text(name)));
  await saved(page);
  await hands.press(page.getByRole("button", { name: "Use it in all games" }));

  await hands.press(page.getByRole("link", { name: "Live" }));
  await hands.press(page.getByRole("button", { name: "Try it on Tidepool Rally" }));
  await page.getByText("when the overlay was started or cleared").waitFor();
  await look();
  const before = runs();
  for (const run of [1, 2]) {
    await hands.write(page.getByLabel("For", { exact: true }), "1s");
    await hands.write(page.getByLabel("Settings tried"), "Preset=High");
    await page.getByText("one run of 1 s, ending 1 s after the start").waitFor();
    await hands.press(page.locator("form").getByRole("button", { name: "Record" }));
    await until(() => runs() === before + run);
  }
  await hands.press(page.getByRole("link", { name: "Face" }));
  await hands.selectOverlay();
  await hands.press(page.getByRole("button", { name: /more$/ }));
  await hands.write(page.getByLabel("Box color", { exact: true }), "#00ff00");
  await hands.write(page.getByLabel("Box opacity"), "1");
  await until(() => isSeen("#00ff00"));
  await hands.toCorner(await overlay(page).boundingBox(), await page.locator(".picture").boundingBox());
  await until(() => /anchor = "bottom-right"/.test(text(name)));
};

test("leads a newcomer by mouse from a starter to an overlay on the game, and two runs", async () => {
  await open({}, async (page) => {
    await newcomersWay(page, byMouse(page), "reef", async () => {
      assert.deepEqual(await faults(page), []);
      const events = await page.evaluate(() => new Promise((done) => {
        const source = new EventSource("./api/live?readings=cpu.load"), all = [];
        source.onmessage = (event) => { if (all.push(JSON.parse(event.data)) === 5) done(all); };
      }));
      for (const event of events) assert.ok(validate({ event }), JSON.stringify(validate.errors));
      assert.ok(events.some((event) => event.update?.games[0]?.new_frames_ns?.length > 0), "frames as they come");
    });
    await page.keyboard.press("Control+z");
    await until(() => !/anchor = "bottom-right"/.test(text("reef")));
    await page.keyboard.press("Control+Shift+z");
    await until(() => /anchor = "bottom-right"/.test(text("reef")));
  });
});

test("leads there by keyboard alone, too", async () => {
  await open({}, async (page, own) => {
    await page.goto(`${own}/face?face=benchmark`);
    await newcomersWay(page, byKeyboard(page), "keys");
    await endGames();
    await page.keyboard.press("Escape");
    const focus = async (name) => {
      for (let i = 0; i < 60; ++i) {
        await page.keyboard.press("Tab");
        if (name.test(await page.evaluate(() => document.activeElement?.getAttribute("aria-label") ?? ""))) return;
      }
      assert.fail(`no way by Tab to ${name}`);
    };
    for (const [part, arrow] of [[/^The whole overlay/, "ArrowLeft"], [/^Row/, "ArrowDown"]]) {
      await focus(part);
      const before = text("keys");
      await page.keyboard.press(arrow);
      await until(() => text("keys") !== before);
      await saved(page);
    }
    await page.keyboard.press("1");  // a place is one key away
    await page.getByRole("heading", { name: "No game runs yet" }).waitFor();
    await page.keyboard.press("2");
    await page.goBack();
    await page.getByRole("heading", { name: "No game runs yet" }).waitFor();
    assert.match(page.url(), new RegExp(`^${own}/live`));
  });
});

test("leads there by touch, on a handheld", async () => {
  await open({ hasTouch: true, isMobile: true }, async (page, own) => {
    await page.goto(`${own}/face?face=benchmark`);
    await newcomersWay(page, byTouch(page), "touch", async () => {
      const small = () => page.evaluate(() => [...document.querySelectorAll("button")].filter((one) => one.getBoundingClientRect().height < 44).map((one) => one.textContent));
      assert.deepEqual(await small(), [], "targets of under 44 pixels");
    });
  });
});

test("loses no change of two desks on one face", async () => {
  idlemeter("face", "new", "shared", "--from", "rate");
  const options = { allowed: /409 \(Conflict\)/ };
  await open(options, async (one, own) => {
    await one.goto(`${own}/face?face=shared`);
    await overlay(one).waitFor();
    await open(options, async (other) => {
      await other.goto(`${own}/face?face=shared`);
      await overlay(other).waitFor();
      for (const size of [20, 21, 22, 23, 24]) {
        await Promise.all([one.getByLabel("Text size").fill(String(size)), other.getByLabel("Box opacity").fill(`0.${size}`)]);
        await until(() => text("shared").includes(`size = ${size}`) && text("shared").includes(`opacity = 0.${size}`));
      }
      await until(async () => (await other.getByLabel("Text size").inputValue()) === "24");
    });
  });
});

test("puts right what it found, by a button", async () => {
  await open({}, async (page, own) => {
    idlemeter("face", "new", "wrong", "--from", "rate");
    idlemeter("face", "add", "wrong", "gpu.hotspt.temp");
    await page.goto(`${own}/face?face=wrong`);
    await page.getByRole("button", { name: "use gpu.hotspot.temp" }).click();
    await until(() => /"gpu\.hotspot\.temp"/.test(text("wrong")));
  });
});

test("holds no more memory after an hour of frames than after some minutes", async () => {
  await open({}, async (page, own) => {
    // An hour of the desk's events at 240 FPS, as fast as the page takes them.
    await page.addInitScript(() => {
      let at = 1e9;
      const frames = () => Array.from({ length: 8 }, () => [(at += 1e9 / 240), 1e9 / 240, null].map((ns) => ns && Math.round(ns)));
      window.EventSource = class { constructor() { window.source = this; } close() {} };
      window.play = (seconds) => {
        for (let i = 0; i < 30 * seconds; ++i) {
          const game = { pid: 7, name: "Tidepool Rally", average_fps: 240 + i % 9, new_frames_ns: frames(), values: { "gpu.temp": 60 + i % 40, "frame.span": i, "frame.limit": "processor", "frame.average": 120, "frame.low@1%": 90, "frame.rate": 130 } };
          window.source.onmessage({ data: JSON.stringify({ meter: 6, update: { at_ns: Math.round(at), visible: true, games: [game], values: { "cpu.load": i % 100 } } }) });
        }
      };
    });
    await page.goto(`${own}/live?pins=gpu.temp,cpu.load`);
    await page.waitForFunction(() => window.source !== undefined);
    const devtools = await page.context().newCDPSession(page);
    const held = async (minutes) => {
      for (let minute = 0; minute < minutes; ++minute) await page.evaluate(() => { window.play(60); });
      await devtools.send("HeapProfiler.collectGarbage");
      return (await devtools.send("Runtime.getHeapUsage")).usedSize;
    };
    await held(1);
    await page.locator(".frame-strip canvas").waitFor();
    const early = await held(5), late = await held(55);
    // All of the span's, not of everything since the game began, as average_fps is.
    for (const [name, value] of [["average", "120"], ["1% low", "90"], ["limited by", "processor"]])
      await page.locator(".figure").filter({ has: page.getByText(name, { exact: true }) }).getByText(value).waitFor();
    await page.locator(".rate", { hasText: "130" }).waitFor();
    assert.ok(late - early < 1_000_000, `${early} bytes after 5 minutes, ${late} after an hour`);
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
      execFileSync("sh", ["-c", command.replace(/^idlemeter/, process.env.IDLEMETER_COMMAND)], { env });
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
        await page.locator("#desk:not([inert]) main").getByRole("button").first().waitFor();
        assert.deepEqual(await faults(page), [], `${colorScheme} ${path}`);
      }
    });
  }
});

test("shows the overlay before the page's code is there, and has sent less than 300 KB then", async () => {
  await open({}, async (page, own) => {
    const held = [];
    await page.route("**/desk.js", (route) => { held.push(route); });
    await page.goto(`${own}/face?face=benchmark`, { waitUntil: "commit" });
    await page.locator(".first-picture").waitFor();
    await page.waitForFunction(() => performance.getEntriesByType("resource").some((one) => /face\/picture/.test(one.name)));
    await until(() => held.length > 0);
    for (const route of held) await route.continue();
    await page.locator("#desk:not([inert]) .overlay").waitFor();
    const asked = await page.evaluate(() => performance.getEntriesByType("resource").map((one) => ({ path: new URL(one.name).pathname.replace(/^\/[0-9a-f]{32}/, ""), sent: one.encodedBodySize })));
    assert.ok(!asked.some(({ path }) => ["/api/face", "/api/faces", "/api/keys"].includes(path)), "the first view's answers come together");
    const sent = asked.reduce((sum, one) => sum + one.sent, 0);
    assert.ok(sent > 50_000 && sent < 300_000, `${sent} bytes: ${JSON.stringify(asked)}`);
  });
});
