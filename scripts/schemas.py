"""Writes the JSON Schemas of the stable formats into docs/schemas; with --check only says whether
they are current.
"""

import argparse
import json
import sys
from pathlib import Path

from thrumble.actions.portability import Manifest
from thrumble.formats.comparison_json import ComparisonJson
from thrumble.formats.labelled_json import LabelledJson
from thrumble.formats.progress_json import ProgressJson
from thrumble.formats.reading_json import READING
from thrumble.formats.riff_form import RiffJson
from thrumble.formats.routes_json import RoutesJson
from thrumble.formats.truth_json import TruthJson

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
    reading["properties"]["played_at"] = {"type": "string", "description": "ISO time with zone"}
    schemas = {
        "riff-1.schema.json": RiffJson.model_json_schema(),
        "reading-1.schema.json": reading,
        "truth-1.schema.json": TruthJson.model_json_schema(),
        "routes-1.schema.json": RoutesJson.model_json_schema(),
        "progress-1.schema.json": ProgressJson.model_json_schema(),
        "comparison-1.schema.json": ComparisonJson.model_json_schema(),
        "labelled-1.schema.json": LabelledJson.model_json_schema(),
        "export-1.schema.json": Manifest.model_json_schema(),
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
