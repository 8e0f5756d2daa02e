"""Writes the JSON Schemas of the stable formats into docs/schemas; with --check only says whether
they are current.
"""

import argparse
import json
import sys
from pathlib import Path

from thrumble.formats.reading_json import READING
from thrumble.formats.riff_form import RiffJson

FOLDER = Path(__file__).parent.parent / "docs/schemas"

# what the coach found, in downloads and from the shell; a bare reading has none
CAUSES = {
    "type": "array",
    "items": {
        "type": "object",
        "required": ["kind", "cost", "text", "hits", "figures"],
        "properties": {
            "kind": {"type": "string", "description": "of finding; a reader ignores unknown ones"},
            "cost": {"type": "number", "description": "share of the hits that it spoils"},
            "text": {"type": "string"},
            "hits": {
                "type": "array",
                "items": {"type": "array", "items": {"type": "integer"}},
                "description": "pairs of round and index",
            },
            "figures": {"type": "object"},
        },
    },
}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--check", action="store_true")
    check = parser.parse_args().check
    reading = READING.json_schema()
    reading["properties"]["causes"] = CAUSES
    schemas = {
        "riff-1.schema.json": RiffJson.model_json_schema(),
        "reading-1.schema.json": reading,
    }
    for name, schema in schemas.items():
        text = json.dumps(schema, indent=1) + "\n"
        path = FOLDER / name
        if check and (not path.exists() or path.read_text() != text):
            sys.exit(f"{path} is out of date: run python scripts/schemas.py")
        if not check:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text)


if __name__ == "__main__":
    main()
