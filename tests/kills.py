#!/usr/bin/env python3
"""Kills commands that write at random moments: nothing may be lost, doubled or half there.

usage: kills.py IDLEMETER [TIMES]     (TIMES: kills of each command; 6 by default)
"""
import os
import pathlib
import random
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import time

COMMAND = os.path.abspath(sys.argv[1])
TIMES = int(sys.argv[2]) if len(sys.argv) > 2 else 6
wrong = []


def run(words, **how):
    return subprocess.run([COMMAND, *words.split()], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, **how)


def frames_of(store):
    """Frames of each run that a list shows."""
    import json
    return sorted(run_["frames"] for run_ in json.loads(run(f"runs --json --store {store}").stdout))


def remove(*names):
    for name in names:
        for ending in ("", "-wal", "-shm"):
            pathlib.Path(name + ending).unlink(missing_ok=True)


def older_store():
    """A store of the version before, which is migrated when it is opened."""
    database = sqlite3.connect("work.db")
    database.executescript("DROP TABLE run_result; ALTER TABLE run DROP COLUMN recorder; PRAGMA user_version = 3;")
    database.close()


# What is done, what else is prepared, and how many runs there are after it, of those in the good store.
CASES = {
    "runs import log.csv --split run --store work.db": (None, lambda n: n + 2),
    "runs add other.db --store work.db": (None, None),
    "runs add runs.json --store work.db": (None, lambda n: n + 2),
    "runs copy copy.db --store work.db": (None, lambda n: n),
    "runs compact --store work.db": (lambda: run("runs remove 1-2 --store work.db"), lambda n: n - 2),
    "runs check --store work.db --repair copy.db": (None, lambda n: n),
    "report 1-4 --store work.db -o page.html": (None, lambda n: n),
    "runs change 1-3 --note new --store work.db": (None, lambda n: n),
    "runs --store work.db": (older_store, lambda n: n),
}


def prepare():
    run("demo --folder demo")
    shutil.copy("demo/runs.db", "good.db")
    sqlite3.connect("good.db").execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchall()
    run("demo --brief --folder other")
    shutil.copy("other/runs.db", "other.db")
    sqlite3.connect("other.db").execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchall()
    run("runs export 1-2 --store other.db -o log.csv")
    run("runs export 1-2 --json --store other.db -o runs.json")


def seconds_of(words, before):
    remove("work.db", "copy.db")
    shutil.copy("good.db", "work.db")
    if before:
        before()
    began = time.monotonic()
    run(words)
    return time.monotonic() - began


def kill_one(words, before, after, length):
    remove("work.db", "copy.db")
    pathlib.Path("page.html").write_text("the old page")
    shutil.copy("good.db", "work.db")
    if before:
        before()
    process = subprocess.Popen([COMMAND, *words.split()], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    time.sleep(random.uniform(0, length * 1.1))
    process.kill()
    process.wait()
    problems = []
    said = run("runs check --store work.db")
    if said.returncode != 0:
        problems.append("the store is damaged: " + said.stdout.decode())
    there = frames_of("work.db")
    count = len(frames_of("good.db"))
    allowed = {count} | ({after(count)} if after else set())
    if before and words.startswith("runs compact"):
        allowed = {count - 2}
    if after and len(there) not in allowed:
        problems.append(f"{len(there)} runs, neither all nor none")
    page = pathlib.Path("page.html").read_text()
    if page != "the old page" and not page.rstrip().endswith("</html>"):
        problems.append("half a page")
    if words.startswith("runs add"):
        run(words)
        again = frames_of("work.db")
        expected = sorted(frames_of("good.db") + frames_of("other.db")[: 2 if "json" in words else None])
        if len(again) != len(expected):
            problems.append(f"{len(again)} runs after doing it again, not {len(expected)}")
    if pathlib.Path("copy.db").exists():
        if frames_of("copy.db") != there:
            problems.append("a part of a copy that passes for the whole")
    elif "copy.db" in words and run(words).returncode != 0:
        problems.append("it can't be done again")
    long_ago = time.time() - 120
    for name in pathlib.Path(".").glob(".idlemeter.*"):
        os.utime(name, (long_ago, long_ago))
    run("report 1 --store good.db -o page.html")  # the next that writes cleans up
    left = [name.name for name in pathlib.Path(".").glob(".idlemeter.*")]
    if left:
        problems.append("left over: " + ", ".join(left))
    return problems


def main():
    folder = pathlib.Path(tempfile.mkdtemp(prefix="kills-"))
    os.chdir(folder)
    for variable in ("HOME", "XDG_DATA_HOME", "XDG_CONFIG_HOME"):
        os.environ[variable] = str(folder)
    prepare()
    kills = 0
    for words, (before, after) in CASES.items():
        length = seconds_of(words, before)
        for _ in range(TIMES):
            kills += 1
            wrong.extend(f"{words}: {problem}" for problem in kill_one(words, before, after, length))
    for line in wrong:
        print(line)
    os.chdir("/")
    shutil.rmtree(folder)
    print(f"{kills} kills, {len(wrong)} wrong")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
