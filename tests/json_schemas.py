"""usage: json_schemas.py IDLEMETER SCHEMAS: what the command writes as JSON fits its schemas, which aren't so wide that anything does."""
import copy
import json
import os
import subprocess
import sys
import tempfile

import jsonschema

command, folder = sys.argv[1:]
OUTPUTS = [("runs", "runs export 1-3 --json"), ("results", "runs show 1 --json --intervals"), ("results", "runs show 1 2 --json"),
           ("comparison", "compare 1 2 3 --json")]


def without_one_member(document):
    """The document as often as it has members up to three levels deep, one of them gone."""
    def places(part, depth):
        if isinstance(part, dict):
            for name in part:
                yield (name,)
                yield from ((name, *rest) for rest in places(part[name], depth - 1) if depth > 0)
        elif isinstance(part, list) and part:
            yield from ((0, *rest) for rest in places(part[0], depth))
    for place in places(document, 2):
        changed = copy.deepcopy(document)
        part = changed
        for step in place[:-1]:
            part = part[step]
        if place[-1] in OPTIONAL or place[-2:-1] in FREE:
            continue
        del part[place[-1]]
        yield place, changed


OPTIONAL, FREE = {"gpu_work_ns", "difference", "without_odd_runs", "share", "definition", "q", "ms", "none_because"}, {("settings",), ("facts",), ("shares",)}
with tempfile.TemporaryDirectory() as work:
    environment = {**os.environ, "HOME": work}
    subprocess.run([command, "demo", "--brief", "--folder", work], check=True, capture_output=True, env=environment)
    for name, words in OUTPUTS:
        with open(f"{folder}/{name}.schema.json") as file:
            schema = json.load(file)
        jsonschema.Draft7Validator.check_schema(schema)
        validator = jsonschema.Draft7Validator(schema)
        text = subprocess.run([command, *words.split(), "--store", f"{work}/runs.db"], check=True, capture_output=True, env=environment).stdout
        document = json.loads(text)
        errors = [f"{list(error.path)}: {error.message[:200]}" for error in validator.iter_errors(document)]
        assert not errors, (words, errors[:5])
        refused = 0
        for place, changed in without_one_member(json.loads(text) if len(text) < 400_000 else {**document, "runs": document["runs"][:1]}):
            assert not validator.is_valid(changed), (words, place)
            refused += 1
        assert refused > 5, words
        print(f"{words}: fits {name}.schema.json; without one of {refused} members it doesn't")
