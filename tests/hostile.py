#!/usr/bin/env python3
"""Makes stores, run files, frame logs and clips as a stranger might hand them on, runs every command that reads
them, and drops them on a desk.

usage: hostile.py IDLEMETER [FOLDER]

Each command has to end by itself, without a signal, with status 0, 1 or 2, in under a gigabyte; one that fails says which
file is to blame. Prints a line for each file. FOLDER keeps the files; else they are removed.
"""
import gzip
import http.client
import json
import lzma
import os
import pathlib
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.parse
import urllib.request

LIMIT_KIB = 1024 * 1024  # of memory
PATIENCE = 60  # s: the machine may be busy; usually it is under five


def copy_of(store, name):
    shutil.copy(store, name)
    return sqlite3.connect(name)


def changed(store, name, *statements):
    database = copy_of(store, name)
    for statement in statements:
        database.execute(statement)
    database.commit()
    database.close()


def numbers(most):
    return f"WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < {most})"


def stores(good):
    """Damaged, strange and huge stores, by name."""
    data = pathlib.Path(good).read_bytes()
    page = 4096
    pathlib.Path("empty.db").write_bytes(b"")
    pathlib.Path("text.db").write_text("not a store\n" * 1000)
    pathlib.Path("short.db").write_bytes(data[:-page])
    pathlib.Path("half.db").write_bytes(data[: len(data) // 2])
    pathlib.Path("head.db").write_bytes(data[:100])
    for number in (1, 3, len(data) // page // 2, len(data) // page - 1):
        pathlib.Path(f"zero{number}.db").write_bytes(data[: number * page] + b"\0" * page + data[(number + 1) * page :])
    pathlib.Path("same_page.db").write_bytes(data[:page] + data[page : 2 * page] * (len(data) // page - 1))
    changed(good, "trigger.db", "CREATE TRIGGER t AFTER UPDATE ON run BEGIN DELETE FROM run WHERE id <> new.id; END")
    changed(good, "view.db", "ALTER TABLE run RENAME TO r",
            "CREATE VIEW run AS WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT i AS id, '' AS game, '' AS "
            "started, '' AS note, 1 AS finished, '' AS ended, 0 AS lost, '' AS uuid, '' AS removed, 1 AS frames, 1 AS length_ns, "
            "'' AS recorder FROM n")
    changed(good, "generated.db", "ALTER TABLE run ADD COLUMN g TEXT AS (printf('%*d', 100000000, 1))")
    changed(good, "index.db", "CREATE INDEX i ON run (length(printf('%*d', 100000000, 1)))")
    changed(good, "bomb.db", "INSERT INTO frame_chunk " + numbers(5_000) + " SELECT 1, 100000 + i, start_ns, frames, length_ns, "
            "intervals_ns, gpu_work_ns, packed FROM frame_chunk, n WHERE run = 1 AND place = (SELECT min(place) FROM frame_chunk WHERE "
            "run = 1)", "UPDATE run SET frames = NULL")
    changed(good, "claims.db", "UPDATE frame_chunk SET frames = 1 << 40", "UPDATE sample_block SET samples = 1 << 30, readings = 1 << 30")
    changed(good, "million_runs.db", "INSERT INTO run (game, started, note) " + numbers(1_000_000) + " SELECT 'g', '', '' FROM n")
    changed(good, "many_readings.db", "INSERT INTO run_reading " + numbers(200_000) + " SELECT 1, 1000 + i, 'r' || i, '', '', '', "
            "'graphics', '', 0, 0, '', '' FROM n")
    changed(good, "many_tags.db", "INSERT INTO run_tag " + numbers(1_000_000) + " SELECT 1, 't' || i FROM n")
    changed(good, "long_note.db", "UPDATE run SET note = printf('%*d', 50000000, 1)")
    changed(good, "hostile_names.db", "UPDATE run SET game = char(27) || ']0;x' || char(7) || char(8238) || '''''=1+1' || char(10) || '`id`'")


def run_file(**changes):
    run = {"uuid": "a", "game": "g", "started": "2026-03-01T20:15:00Z", "finished": True, "ended": "asked", "lost_frames": 0, "note": "",
           "tags": [], "settings": {}, "facts": {}, "frames": {"presented_ns": [10_000_000], "frame_time_ns": [10_000_000]},
           "readings": {"at_ns": [], "of": []}}
    run.update(changes)
    return '{"format":"idle-meter-runs","version":1,"runs":[\n' + json.dumps(run) + "\n]}\n"


def run_files():
    reading = {"id": "a", "title": "", "brief": "", "device": "", "kind": "graphics", "unit": "", "digits": 0, "text": False,
               "source": "", "alias": ""}
    files = {
        "falls.json": run_file(readings={"at_ns": [5, 5, 1], "of": [reading | {"values": [1, 2, 3]}]}),
        "frames_fall.json": run_file(frames={"presented_ns": [9, 3], "frame_time_ns": [1, 1]}),
        "floats.json": run_file(frames={"presented_ns": [1.5], "frame_time_ns": [1]}),
        "deep.json": '{"format":"idle-meter-runs","version":1,"runs":' + "[" * 2_000_000,
        "parts.json": '{"format":"idle-meter-runs","version":1,"runs":[[' + "[]," * 5_000_000,
        "readings.json": run_file(readings={"at_ns": [], "of": [reading | {"id": f"r{i}", "values": []} for i in range(200_000)]}),
        "newer.json": '{"format":"idle-meter-runs","version":7,"runs":[]}',
        "cut.json": run_file()[:200],
        "large.json": run_file(frames={"presented_ns": list(range(10, 30_000_010, 10)), "frame_time_ns": [10] * 3_000_000}),
    }
    empty = json.loads(run_file(frames={"presented_ns": [], "frame_time_ns": []}))["runs"][0]
    many = [json.dumps(empty | {"uuid": str(i)}) for i in range(3_000)]
    files["empty_runs.json"] = '{"format":"idle-meter-runs","version":1,"runs":[\n' + ",\n".join(many) + "\n]}\n"
    for name, text in files.items():
        pathlib.Path(name).write_text(text)


def logs():
    line = b"10\n"
    with gzip.open("bomb.csv.gz", "wb", 9) as packed:
        packed.write(b"frame time (ms)\n")
        for _ in range(400):
            packed.write(line * 1_000_000)
    pathlib.Path("bomb.csv.xz").write_bytes(lzma.compress(b"frame time (ms)\n" + line * 60_000_000, preset=1))
    pathlib.Path("binary.csv").write_bytes(bytes(range(256)) * 10_000)
    pathlib.Path("one_line.csv").write_bytes(b"x" * 100_000_000)
    pathlib.Path("quotes.csv").write_bytes(b'"a\n' * 1_000_000)
    pathlib.Path("columns.csv").write_bytes(b"a," * 500_000 + b"\n" + b"1," * 500_000 + b"\n")
    os.mkfifo("pipe.csv")


def clips():
    pathlib.Path("playlist.mp4").write_text("#EXTM3U\n#EXT-X-TARGETDURATION:10\n#EXTINF:10,\nsecret.mp4\n#EXT-X-ENDLIST\n")
    pathlib.Path("script.mp4").write_text("ffconcat version 1.0\nfile secret.mp4\n")
    pathlib.Path("random.mp4").write_bytes(os.urandom(100_000))
    pathlib.Path("picture.mp4").write_bytes(b"\x89PNG\r\n\x1a\n" + b"\0" * 1000)
    os.mkfifo("pipe.mp4")


COMMANDS = {
    ".db": ["runs --store {}", "runs show 1 --store {}", "runs check --store {}", "runs add {} --store mine.db", "changes 1 --store {}",
            "report 1 --store {} -o out.html", "runs export 1 --json --store {} -o out.json", "compare 1 2 --store {}",
            "runs change 1 --note new --store {}", "runs check --store {} --repair repaired.db"],
    ".json": ["runs add {} --store mine.db"],
    ".csv": ["runs import {} --store mine.db", "changes {}"],
    ".gz": ["runs import {} --store mine.db"],
    ".xz": ["runs import {} --store mine.db"],
    ".mp4": ["footage 1 --over {} -o out.mp4 --store good.db"],
}


def try_one(command, words):
    """Status, KiB and seconds of a command; None as the status of one that doesn't end."""
    began = time.monotonic()
    process = subprocess.Popen([command, *words], stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT)
    timer = subprocess.Popen(["sh", "-c", f"sleep {PATIENCE}; kill -9 {process.pid}"], stderr=subprocess.DEVNULL)
    said = process.stdout.read()
    _, status, usage = os.wait4(process.pid, 0)
    timer.kill()
    timer.wait()
    return os.waitstatus_to_exitcode(status), usage.ru_maxrss, time.monotonic() - began, said


def drop_all(command, files):
    """Drops files on a desk, as its page does; returns what is wrong."""
    os.environ["XDG_RUNTIME_DIR"] = str(pathlib.Path("run").absolute())
    pathlib.Path("run").mkdir(mode=0o700)
    desk = subprocess.Popen([command, "desk", "--no-browser", "--rig", "--store", "desk.db"], stdout=subprocess.PIPE, text=True)
    address = urllib.parse.urlparse(desk.stdout.readline().strip())
    origin = f"http://{address.netloc}"
    opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())
    opener.open(address.geturl(), timeout=PATIENCE).read()

    def ask(path, body=None):
        question = urllib.request.Request(origin + address.path.rstrip("/") + path, body, {"Origin": origin, "Content-Type": "application/octet-stream"})
        try:
            return opener.open(question, timeout=PATIENCE).read()
        except urllib.error.HTTPError as error:
            return error.read()

    wrong = []
    for file in files:
        for sure in ("", "yes"):
            try:
                said = ask(f"/api/runs/add?name={urllib.parse.quote(file.name)}&sure={sure}", file.read_bytes())
                answer = {} if said.startswith(b"That is too large") else json.loads(said)
                if "error" in answer and file.name not in json.dumps(answer) and "run " not in json.dumps(answer):
                    wrong.append(f"{file.name}: the desk doesn't name it: {answer}")
            except (OSError, ValueError, http.client.HTTPException) as error:
                wrong.append(f"{file.name}: the desk: {error!r}")
    if not json.loads(ask("/api/runs?from=0&count=1"))["all"]:
        wrong.append("the good ones among them aren't in the desk's store")
    desk.terminate()
    _, status, usage = os.wait4(desk.pid, 0)
    if status or usage.ru_maxrss > LIMIT_KIB:
        wrong.append(f"the desk ended with {status}, {usage.ru_maxrss // 1024} MiB")
    return wrong


def make(command):
    subprocess.run([command, "demo", "--brief", "--folder", "demo"], check=True, stdout=subprocess.DEVNULL)
    shutil.copy("demo/runs.db", "good.db")
    sqlite3.connect("good.db").execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchall()
    stores("good.db")
    run_files()
    logs()
    clips()


def main():
    if sys.argv[1] == "--make":
        make(sys.argv[2])
        return 0
    command = os.path.abspath(sys.argv[1])
    keep = len(sys.argv) > 2
    folder = pathlib.Path(sys.argv[2] if keep else tempfile.mkdtemp(prefix="hostile-")).absolute()
    folder.mkdir(exist_ok=True)
    os.chdir(folder)
    for variable in ("HOME", "XDG_DATA_HOME", "XDG_CONFIG_HOME", "TMPDIR"):
        os.environ[variable] = str(folder)
    # In a process of its own: what this one has held counts as memory of what it starts.
    subprocess.run([sys.executable, __file__, "--make", command], check=True)
    wrong = 0
    for file in sorted(path for path in pathlib.Path(".").iterdir() if path.suffix in COMMANDS):
        for words in COMMANDS[file.suffix]:
            for made in ("mine.db", "out.html", "out.json", "out.mp4", "repaired.db"):
                for ending in ("", "-wal", "-shm"):
                    pathlib.Path(made + ending).unlink(missing_ok=True)
            status, kib, seconds, said = try_one(command, words.format(file).split())
            problems = []
            if status not in (0, 1, 2):
                problems.append("doesn't end" if status == -9 else f"status {status}")
            if kib > LIMIT_KIB:
                problems.append(f"{kib // 1024} MiB")
            if status == 1 and file.name.encode() not in said and b"run " not in said:
                problems.append("the file isn't named: " + said.decode("utf-8", "replace")[:200])
            if problems or seconds > 5:
                print(f"{file.name}: {words.format(file)}: {', '.join(problems) or 'slow'} ({seconds:.1f} s, {kib // 1024} MiB)")
            wrong += bool(problems)
    dropped = drop_all(command, sorted(path for path in pathlib.Path(".").iterdir() if path.is_file() and path.suffix in COMMANDS and path.suffix != ".mp4"))
    print("\n".join(dropped))
    wrong += len(dropped)
    if not keep:
        os.chdir("/")
        shutil.rmtree(folder)
    print(f"{wrong} wrong")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
