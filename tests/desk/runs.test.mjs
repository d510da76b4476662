// The desk's runs in a browser: a lab book of 3,000, one run, comparisons, files of others, and an evening with a game that really runs.
// usage: xvfb-run node --test runs.test.mjs; see browser.mjs.
import assert from "node:assert/strict";
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterEach, before, test } from "node:test";
import { endGames, env, faults, folder, idlemeter, open, until } from "./browser.mjs";

const runs = (...words) => idlemeter("runs", ...words);
const many = 3000, frames = 120;

/** A run file: three games in turn, two presets, the second one faster; some with a tag or a note. */
function labBook() {
  const all = [];
  for (let i = 0; i < many; ++i) {
    const at = [], took = [];
    for (let frame = 0, now = 0; frame < frames; ++frame) {
      const ns = Math.round((i % 2 ? 8e6 : 12e6) * (1 + 0.02 * Math.sin(frame * (1 + i % 7))) * (1 + 0.001 * (i % 5)) * (frame === 60 ? 4 : 1));
      at.push(now += ns);
      took.push(ns);
    }
    all.push({
      uuid: `${i.toString(16).padStart(8, "0")}-0000-4000-8000-000000000000`, game: ["Tidepool Rally", "Kelp Derby", "Brine Circuit"][i % 3],
      started: new Date(Date.UTC(2026, 0, 1, 0, i)).toISOString().replace(".000", ""), finished: true, ended: "asked", lost_frames: 0,
      note: i % 7 ? "" : `lap ${i}`, tags: i % 5 ? [] : ["wet"], settings: { Preset: i % 2 ? "High" : "Ultra" }, facts: { Processor: "Corvid 8" },
      frames: { presented_ns: at, frame_time_ns: took, gpu_work_ns: at.map(() => null) }, readings: { at_ns: [], of: [] },
    });
  }
  const file = join(folder, "lab.json");
  writeFileSync(file, JSON.stringify({ format: "idle-meter-runs", version: 1, runs: all }));
  return file;
}

before(() => { runs("add", labBook()); });
afterEach(endGames);

const row = (page, run) => page.locator(".run-rows").getByRole("row").filter({ has: page.locator(".number", { hasText: new RegExp(`^${run}$`) }) });

test("shows a lab book of 3,000 runs, of which only what is seen is in the page", async () => {
  await open({}, async (page, own) => {
    await page.goto(`${own}/runs`);
    await row(page, many).waitFor();
    assert.ok(await page.locator(".run-rows [role=row]").count() < 100);
    // The figures are those of the command, to the last digit.
    const [line] = JSON.parse(runs("--json", "--figures", "frame.average,frame.low@1%", "--text", `lap ${many - 4}`));
    const shown = row(page, line.run).locator("data");
    await until(async () => await shown.count() === 3);
    const values = await shown.evaluateAll((all) => all.map((one) => Number(one.value)));
    assert.deepEqual(values.slice(0, 2), line.figures.map((one) => one.value));
    // By keyboard to the other end, and on.
    await row(page, many).focus();
    await page.keyboard.press("End");
    await page.locator("[data-place=\"2999\"]:focus").waitFor();
    await row(page, 1).waitFor();
    await page.keyboard.press("Home");
    await page.locator("[data-place=\"0\"]:focus").waitFor();
    await page.keyboard.press("Space");
    await page.getByRole("region", { name: "The chosen runs" }).getByText("Run 3000").waitFor();
    await page.keyboard.press("Enter");
    await page.getByRole("heading", { name: /^Run 3000/ }).waitFor();
    await page.goBack();
    await row(page, many).waitFor();
    // Tags and note where they stand.
    await row(page, many).focus();
    await page.keyboard.press("F2");
    await page.getByRole("textbox", { name: "Tags of run 3000" }).fill("rain, dawn");
    await page.getByRole("textbox", { name: "Note of run 3000" }).fill("a seal on the road");
    await page.keyboard.press("Enter");
    await row(page, many).getByText("a seal on the road").waitFor();
    await page.locator("[data-place=\"0\"]:focus").waitFor();
    assert.match(runs("--tag", "dawn"), /3000 .*a seal on the road/);
    await page.getByRole("searchbox", { name: "Find a run" }).fill("kelp");
    await page.getByText("1000 of 3000 runs").waitFor();
    await row(page, 2999).getByRole("button", { name: "Only runs with Preset Ultra" }).click();
    await page.getByText("500 of 3000 runs").waitFor();
    await page.reload();  // what is filtered by is in the address
    await page.getByText("500 of 3000 runs").waitFor();
    await page.getByRole("button", { name: "All runs" }).click();
    await page.getByRole("button", { name: /^Average/ }).click();
    await until(async () => /average/.test(page.url()));
    assert.deepEqual(await faults(page), []);
  });
});

test("compares ten against ten: by a setting, by dragging, by keyboard", async () => {
  await open({}, async (page, own) => {
    await page.goto(`${own}/runs?groups=1-20`);
    await page.getByRole("button", { name: "by Preset" }).click();
    await page.getByText(/^High against Ultra: average frame rate \+\d/).waitFor();
    const told = JSON.parse(idlemeter("compare", "1-20", "--by", "Preset", "--json"));
    const table = page.getByRole("table", { name: "Average frame rate, FPS" });
    assert.deepEqual(await table.locator("data").evaluateAll((all) => all.map((one) => Number(one.value))), told.figures[0].groups.map((group) => group.mean));
    assert.deepEqual(await faults(page), []);
    // Two are put into a group of their own, one by the pointer and one by the keyboard.
    await page.goto(`${own}/runs?groups=1-6`);
    const groupOf = (name) => page.getByRole("grid", { name: `${name}: its runs` });
    await groupOf("Group 1").getByRole("row", { name: "run 2" }).dragTo(groupOf("A new group"));
    await until(() => new URL(page.url()).searchParams.get("groups") === "1,3-6;2");
    await groupOf("runs 1,3-6").getByRole("row", { name: "run 4" }).focus();
    await page.keyboard.press("ArrowRight");
    await page.keyboard.press("Enter");
    const target = page.getByRole("button", { name: /^Drop on/ });
    await target.first().waitFor();
    await until(async () => (await page.keyboard.press("Tab"), page.evaluate(() => document.activeElement?.closest(".group")?.textContent.includes("run 2"))));
    await page.keyboard.press("Enter");
    await until(() => new URL(page.url()).searchParams.get("groups") === "1,3,5-6;2,4");
    await page.getByText(/against .*: average frame rate/).waitFor();
  });
});

test("keeps what is said of runs, and follows what others do with them", async () => {
  await open({ allowed: /404/ }, async (page, own) => {
    await page.goto(`${own}/runs?run=10`);
    await page.getByRole("textbox", { name: "Note" }).fill("a gull on the line");
    await page.getByRole("button", { name: "Keep it" }).click();
    await until(() => /gull/.test(runs("--text", "gull")));
    await page.getByRole("button", { name: "Tag …" }).click();
    await page.getByRole("textbox", { name: "A tag" }).fill("dusk");
    await page.keyboard.press("Enter");
    await page.getByRole("button", { name: "Remove the tag dusk" }).waitFor();
    await open({}, async (other) => {
      await other.goto(`${own}/runs?text=gull`);
      await row(other, 10).waitFor();
      runs("remove", "10");
      await other.getByText("0 of 2999 runs").waitFor();
      await page.getByRole("button", { name: "Remove the tag dusk" }).click();
      await page.getByRole("alert").filter({ hasText: "run 10 was removed" }).first().waitFor();
      runs("restore", "10");
      await row(other, 10).focus();
      await other.keyboard.press("Delete");
      await other.getByText("Run 10 removed.").waitFor();
      await other.getByRole("button", { name: "Bring back" }).click();
      await row(other, 10).waitFor();
    });
    await page.getByRole("button", { name: "Remove", exact: true }).click();
    await page.getByText("Run 10 removed.").waitFor();
    await page.getByRole("button", { name: "Bring back" }).click();
    await until(() => /dusk/.test(runs("--text", "gull")));
  });
});

test("refuses what isn't runs, with words, and takes tables of frame times", async () => {
  const drops = join(folder, "drops");
  mkdirSync(drops);
  const file = (name, content) => { writeFileSync(join(drops, name), content); return join(drops, name); };
  await open({ allowed: /400|422|500|409/ }, async (page, own) => {
    await page.goto(`${own}/runs`);
    await row(page, many).waitFor();
    const choose = async (path) => {
      const [chooser] = await Promise.all([page.waitForEvent("filechooser"), page.getByRole("button", { name: "Add runs from files …" }).click()]);
      await chooser.setFiles(path);
    };
    for (const [name, content, words] of [
      ["<img src=x onerror=alert(1)>.csv", "a,b\n1,x\n", /img src=x/],
      ["empty.json", "", /is empty/],
      ["cut.json", '{"format":"idle-meter-runs","version":1,"runs":[{"uuid":"', /cut\.json/],
      ["store.db", "SQLite format 3\0 and no more", /store\.db/],
    ]) {
      await choose(file(name, content));
      await page.getByRole("alert").filter({ hasText: words }).waitFor();
    }
    assert.equal(await page.locator("img[src=x]").count(), 0);
    await choose(file("times.csv", `frame time (ms),GPU work (ms)\n${Array.from({ length: 300 }, (_, i) => `${16 + i % 3},${9 + i % 2}`).join("\n")}\n`));
    await page.getByText(/^300 frames in 5\.1 s/).waitFor();
    await page.getByRole("textbox", { name: "The game's name" }).fill("Foreign Waters");
    await page.getByRole("button", { name: "Add it" }).click();
    await page.getByText("1 run added as 3001").waitFor();
    await row(page, 3001).getByText("Foreign Waters").waitFor();
    await choose(join(folder, "lab.json"));
    await page.getByText("3000 already here").waitFor();
  });
});

// Three runs with each of two presets, from the form.
const record = async (form) => {
  for (const preset of ["High", "Low"]) {
    await form.getByRole("textbox", { name: "For", exact: true }).fill("1s");
    await form.getByRole("textbox", { name: "Times" }).fill("3");
    await form.getByRole("textbox", { name: "Settings tried" }).fill(`Preset=${preset}`);
    await form.getByRole("textbox", { name: "Tags" }).fill("evening");
    await form.getByRole("button", { name: "Record", exact: true }).click();
    await until(() => (runs("--tag", "evening", "--set", `Preset=${preset}`).match(/Tidepool Rally/g) ?? []).length === 3);
    await form.getByRole("button", { name: "Record", exact: true }).waitFor();
  }
};

test("takes a reviewer through an evening: two presets, three runs each, compared, looked at, saved", async () => {
  await open({ acceptDownloads: true }, async (page, own) => {
    await page.goto(`${own}/live`);
    await page.getByRole("button", { name: "Try it on Tidepool Rally" }).click();
    const form = page.locator(".record-form");
    await open({}, async (other) => {
      await other.goto(`${own}/runs?tag=evening`);
      await record(form);
      await other.getByText(/^6 of \d+ runs$/).waitFor();  // by itself
    });
    await page.goto(`${own}/runs?tag=evening`);
    await page.getByText(/^6 of \d+ runs$/).waitFor();
    await until(async () => await page.locator(".run-rows [role=row] input").count() === 6);
    for (const box of await page.locator(".run-rows [role=row] input").all()) await box.check();
    await page.getByRole("button", { name: "Compare" }).click();
    await page.getByRole("button", { name: "by Preset" }).click();
    await page.getByText(/^Low against High: average frame rate/).waitFor();
    for (const [button, name, begins] of [["Report", /^report-.*\.html$/, "<!DOCTYPE html>"], ["Picture", /^plot-.*\.png$/, "\x89PNG"], ["Markdown", /\.md$/, ""]]) {
      const [download] = await Promise.all([page.waitForEvent("download"), page.getByRole("button", { name: button, exact: true }).click()]);
      assert.match(download.suggestedFilename(), name);
      assert.ok(readFileSync(await download.path(), "latin1").toLowerCase().startsWith(begins.toLowerCase()), button);
    }
    await page.getByRole("button", { name: /^Open run/ }).first().click();
    await page.getByRole("heading", { name: /^Run \d+: Tidepool Rally/ }).waitFor();
    await page.locator(".run-line canvas").first().waitFor();
    await page.getByText("95 %:").or(page.getByText("no interval")).first().waitFor();
    assert.deepEqual(await faults(page), []);
    await page.goBack();
    await page.getByText(/^Low against High: average frame rate/).waitFor();
  });
});
