"""Documents as they are written, checked against the schemas in docs by a validator of its own."""

import json
import re
from typing import Any

import jsonschema_rs
import pytest
from typer.testing import CliRunner

from tests.rules.test_house import ROOT
from thrumble.cli import app
from thrumble.demo import riff_texts

SCHEMAS = ROOT / "docs/schemas"
FORMATS = ("riff", "reading", "truth", "routes", "progress", "comparison", "labelled", "export")


def valid(name: str, document: dict[str, Any]) -> bool:
    schema = json.loads((SCHEMAS / f"{name}-1.schema.json").read_text())
    return jsonschema_rs.validator_for(schema).is_valid(document)


@pytest.fixture(scope="module")
def written(tmp_path_factory: pytest.TempPathFactory) -> dict[str, dict[str, Any]]:
    """One document of each format that the command line writes."""
    folder = tmp_path_factory.mktemp("schemas")
    riff, take = folder / "riff.txt", folder / "take.wav"
    riff.write_text(riff_texts()["6-stop-planks"])
    out = {name: folder / f"{name}.json" for name in FORMATS}
    out["riff"] = folder / "a.riff.json"
    flaws = ["--flaw", "missed=0.2", "--flaw", "extra=0.2", "--flaw", "stray=0.3"]
    for arguments in (
        ["simulate", riff, "--out", take, "--truth", out["truth"], "--seed", 3, *flaws],
        ["analyze", riff, take, "--json", out["reading"]],
        ["convert", riff, out["riff"]],
        ["route", riff, "--json", out["routes"]],
        ["progress", riff, out["reading"], "--json", out["progress"]],
        ["compare", out["reading"], "--with", out["reading"], "--json", out["comparison"]],
    ):
        done = CliRunner().invoke(app, [str(argument) for argument in arguments])
        assert done.exit_code == 0, (arguments, done.output)
    return {name: json.loads(path.read_text()) for name, path in out.items() if path.exists()}


def test_every_document_keeps_its_schema_and_a_changed_one_does_not(
    written: dict[str, dict[str, Any]],
) -> None:
    assert set(written) == set(FORMATS) - {"labelled", "export"}
    for name, document in written.items():
        assert document["format"] == f"thrumble.{name}/1"
        assert valid(name, document), name
        assert not valid(name, {}), name
        first = next(key for key in document if key not in ("format", "engine"))
        assert not valid(name, document | {first: {"no": "such"}}), name


def test_the_page_of_formats_names_every_schema_and_its_fields() -> None:
    page = (ROOT / "docs/formats.md").read_text()
    assert {path.name for path in SCHEMAS.iterdir()} == {
        f"{name}-1.schema.json" for name in FORMATS
    }
    for name in FORMATS:
        section = page.split(f"## `thrumble.{name}/1`")[1].split("\n## ")[0]
        assert f"schemas/{name}-1.schema.json" in section
        schema = json.loads((SCHEMAS / f"{name}-1.schema.json").read_text())
        named = set(re.findall(r"^\| `(\w+)`", section, re.M))
        assert named == set(schema["properties"]) - {"format"}, name
