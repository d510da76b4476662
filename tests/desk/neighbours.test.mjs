// The desk beside others on the same machine: servers on other ports, a second meter, a store of somebody who means harm. GAME is the demo game.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { createServer } from "node:http";
import { join } from "node:path";
import { test } from "node:test";
import { browser, endGames, env, faults, folder, idlemeter, open, start } from "./browser.mjs";

test("keeps its cookie from servers on other ports, and answers none of their pages", async () => {
  const heard = [];
  const other = createServer((request, response) => {
    heard.push(request.headers.cookie ?? "");
    response.setHeader("Content-Type", "text/html");
    response.end("<title>other</title>");
  });
  await new Promise((done) => { other.listen(0, "127.0.0.1", done); });
  const elsewhere = `http://127.0.0.1:${other.address().port}`;
  const context = await browser.newContext();
  try {
    const page = await context.newPage(), address = idlemeter("desk", "--no-browser").trim(), own = address.slice(0, address.indexOf("/?"));
    await page.goto(address);
    await page.locator(".overlay").waitFor();
    const stranger = await context.newPage();
    for (const path of ["/", "/live", "/0"]) await stranger.goto(elsewhere + path);
    assert.ok(heard.length >= 3, "a browser asks for an icon, too");
    assert.deepEqual(heard.filter((cookie) => /idlemeter/.test(cookie)), [], "the path is the desk's secret");
    const tried = await stranger.evaluate(async (desk) => {
      const asked = async (options) => (await fetch(`${desk}/api/settings`, options).catch(() => null))?.status ?? "refused";
      return [await asked({ credentials: "include" }), await asked({ method: "POST", credentials: "include", mode: "no-cors", body: "{}" })];
    }, own);
    assert.equal(tried[0], "refused");
    assert.ok([0, "refused"].includes(tried[1]), String(tried[1]));
    await page.reload();
    await page.locator(".overlay").waitFor();
  } finally {
    await context.close();
    other.closeAllConnections();
    other.close();
  }
});

test("shows the games of two meters", async () => {
  for (const name of ["Tidepool One", "Tidepool Two"])
    start(["play", "--quiet", "--game", name, "--", process.env.GAME, "--size", "320x180", "--rate", "60", "--seconds", "600"]);
  await open({}, async (page, own) => {
    await page.goto(`${own}/live`);
    for (const name of ["Tidepool One", "Tidepool Two"]) await page.getByRole("tab", { name }).waitFor();
  });
  await endGames();
});

test("shows a store full of hostile text, and stays usable", async () => {
  const store = join(folder, ".local/share/idlemeter/runs.db");
  const long = "Rally ".repeat(900), script = `<img src=x onerror="document.title='ran'"><script>document.title='ran'</script>`;
  idlemeter("demo", "--brief", "--folder", join(folder, "demo"));
  idlemeter("runs", "add", join(folder, "demo/runs.db"));
  execFileSync("/usr/bin/python3", ["-c", `
import sqlite3, sys
store = sqlite3.connect(sys.argv[1])
runs = [row[0] for row in store.execute("SELECT id FROM run ORDER BY id")]
store.execute("UPDATE run SET started = 'no time at all' WHERE id = ?", (runs[0],))
store.execute("UPDATE run SET game = ?, note = ? WHERE id = ?", (sys.argv[2], sys.argv[2], runs[1]))
for run in runs[2:]:
    store.execute("UPDATE run SET game = ?, note = ? WHERE id = ?", (sys.argv[3], sys.argv[3], run))
    store.execute("INSERT INTO run_tag (run, tag) VALUES (?, ?)", (run, sys.argv[3]))
store.commit()
`, store, long, script], { env });
  await open({}, async (page, own) => {
    await page.goto(`${own}/runs`);
    await page.getByText("no date").waitFor();
    const widest = await page.evaluate(() => document.documentElement.scrollWidth);
    assert.ok(widest <= 1280, `the page is ${widest} wide`);
    const runs = idlemeter("runs", "--json").trim();
    for (const { run } of JSON.parse(runs)) {
      await page.goto(`${own}/runs?run=${run}`);
      await page.locator(".one-run, .problem").first().waitFor();
      assert.ok(await page.getByRole("link", { name: "Live" }).isVisible(), `run ${run} leaves the navigation`);
      assert.ok((await page.evaluate(() => document.documentElement.scrollWidth)) <= 1280, `run ${run}`);
    }
    assert.equal(await page.title(), "Idle Meter");
    await page.goto(`${own}/runs`);
    await page.getByText("no date").waitFor();
    assert.deepEqual(await faults(page), []);
  });
});
