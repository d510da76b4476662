"""usage: schema.py IDLEMETER FACE...: the schema takes every starter and refuses what the reader refuses."""
import json
import subprocess
import sys
import tomllib

import jsonschema

schema = json.loads(subprocess.check_output([sys.argv[1], "face", "schema"]))
jsonschema.Draft7Validator.check_schema(schema)
validator = jsonschema.Draft7Validator(schema)

for name in sys.argv[2:]:
    with open(name, "rb") as file:
        errors = [f"{list(error.path)}: {error.message}" for error in validator.iter_errors(tomllib.load(file))]
    assert not errors, (name, errors)

REFUSED = [
    "",
    "nmae = 'a'\n[[row]]",
    "text = { size = 3 }\n[[row]]",
    "text = { color = 'red' }\n[[row]]",
    "span = '10 m'\n[[row]]",
    "[[row]]\ncells = [ { as = 'trace' } ]",
    "[[row]]\ncells = [ { reading = 'a', as = 'reel' } ]",
    "[[row]]\ncells = [ { reading = 'a', digits = 9 } ]",
    "[[row]]\ncells = [ { reading = 'a', range = [0, 1] } ]",
    "[[row]]\ncells = [ { reading = 'a', as = 'ring', grow = true } ]",
    "[[pin]]\nat = [1, 2]\nreading = 'a'\nas = 'trace'\nsheet = 'x.png'",
    "[[pin]]\nat = [1, 2]",
    "[[pin]]\nat = [1, 2]\ntext = 'a'\nbox = [1, 2]",
    "[[pin]]\nat = [1, 2]\npicture = 'a.png'",
]
for text in REFUSED:
    assert not validator.is_valid(tomllib.loads(text)), text
print(f"{len(sys.argv) - 2} faces fit, {len(REFUSED)} are refused")
