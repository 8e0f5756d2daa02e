"""The ear as one value: its version follows from what decides its answers, its networks see the
columns they were trained on, and what it makes of one short take stays what it was.
"""

import importlib.util
import json
from dataclasses import fields, replace
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy as np
import pytest

from thrumble.core.ear.align.onsets import CANDIDATES
from thrumble.core.ear.front.conditioning import in_memory
from thrumble.core.ear.measure.articulation import HITS
from thrumble.core.ear.measure.chords import STRAYS
from thrumble.core.ear.measure.placing import AROUND_PLACE
from thrumble.core.ear.measure.strumming import STRUMS
from thrumble.core.ear.model.ear import Decisions, Ear
from thrumble.core.ear.model.layout import Layout
from thrumble.core.ear.model.network import Network
from thrumble.core.ear.take import TakeInfo, read_recording, read_take
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.formats.audio import read_audio
from thrumble.formats.reading_json import reading_from_document
from thrumble.formats.riff_json import read_riff_json, riff_document
from thrumble.trained import EAR

ROOT = Path(__file__).parents[2]
GOLDEN = ROOT / "tests/golden"
SEEN = {
    "onsets": CANDIDATES,
    "places": AROUND_PLACE,
    "articulation": HITS,
    "depth": HITS,
    "strum": STRUMS,
    "strays": STRAYS,
}


def _script() -> ModuleType:
    spec = importlib.util.spec_from_file_location("golden", ROOT / "scripts/golden.py")
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


@pytest.mark.parametrize("name", list(SEEN))
def test_every_network_sees_the_columns_it_was_trained_on(name: str) -> None:
    assert dict(EAR.layouts)[name] == SEEN[name].text
    assert EAR.networks[name].centre.size == SEEN[name].size


def _nudged(network: Network) -> Network:
    *layers, (weights, biases) = network.layers
    return Network(network.centre, network.scale, (*layers, (weights, biases + 0.25)))


@pytest.mark.parametrize(
    "other",
    [
        *(replace(EAR, **{name: _nudged(EAR.networks[name])}) for name in SEEN),
        replace(EAR, layouts=(*EAR.layouts[1:], ("strum", "growth: 120"))),
        *(
            replace(EAR, decisions=replace(EAR.decisions, **{f.name: 0.123}))
            for f in fields(Decisions)
        ),
    ],
)
def test_whatever_decides_the_answers_is_in_the_version(other: Ear) -> None:
    assert other.version != EAR.version
    assert other.version.startswith(f"{EAR.number}+")


def test_what_is_only_told_about_an_ear_is_not_in_its_version() -> None:
    assert replace(EAR, training=(("command", "another"),)).version == EAR.version
    assert replace(EAR, number="9").version.split("+")[1] == EAR.version.split("+")[1]


def test_a_reading_is_by_the_ear_that_was_passed_in() -> None:
    riff = parse_riff((GOLDEN / "take.riff.txt").read_text())
    take = read_audio((GOLDEN / "take.flac").read_bytes())
    info = TakeInfo(start_s=1.0)
    deaf = replace(EAR, decisions=replace(EAR.decisions, unsure_below=1.1))
    assert read_recording(take, expand(riff), info, ear=EAR).summary.unsure < 3
    heard = read_recording(take, expand(riff), info, ear=deaf)
    assert heard.summary.unsure == heard.summary.matched > 8
    assert heard.engine == deaf.version
    silence = read_take(np.zeros(44100), 44100, expand(riff), info, ear=deaf)
    assert silence.engine == deaf.version
    assert in_memory(np.zeros(10), 44100).rate_hz == 44100


def test_the_golden_take_is_heard_as_ever() -> None:
    """A change of the ear on purpose is followed by `python scripts/golden.py`; see what moved."""
    script = _script()
    kept: dict[str, Any] = json.loads(script.KEPT.read_text())
    now = script.heard()
    assert now["engine"] == kept["engine"], "another ear: look at what moved, then keep it"
    for network, groups in kept["features"].items():
        assert now["features"][network] == pytest.approx(groups, abs=2e-3), network
    before, after = kept["reading"], now["reading"]
    assert _numbers(after["summary"]) == pytest.approx(_numbers(before["summary"]), abs=0.02)
    for old, new in zip(before["hits"], after["hits"], strict=True):
        assert new["heard_articulation"] == old["heard_articulation"]
        assert new["probabilities"] == pytest.approx(old["probabilities"], abs=0.02)
        assert _numbers(new) == pytest.approx(_numbers(old), abs=0.05)


def _numbers(document: dict[str, Any]) -> dict[str, float]:
    return {name: value for name, value in document.items() if isinstance(value, int | float)}


def test_old_files_are_still_read() -> None:
    """A riff and a reading as engine 1.0.0 wrote them."""
    document = json.loads((GOLDEN / "riff-as-of-1.0.0.json").read_text())
    riff = read_riff_json((GOLDEN / "riff-as-of-1.0.0.json").read_text())
    assert riff == parse_riff((GOLDEN / "take.riff.txt").read_text())
    assert riff_document(riff).items() >= document.items()
    old = json.loads((GOLDEN / "reading-as-of-1.0.0.json").read_text())
    reading = reading_from_document(old)
    assert reading.engine == "1.0.0" and len(reading.hits) == 12
    assert [hit.deviation_ms for hit in reading.hits] == [h["deviation_ms"] for h in old["hits"]]


def test_columns_are_named_and_checked() -> None:
    layout = Layout((("level", 1), ("spectra", 3)))
    rows = layout.join({"spectra": np.ones((2, 3)), "level": np.zeros((2, 1))})
    assert rows.tolist() == [[0, 1, 1, 1]] * 2, "in the layout's order, however they are given"
    assert layout.column("level") == 0 and layout.columns("spectra") == slice(1, 4)
    assert layout.columns("level", "spectra") == slice(0, 4)
    with pytest.raises(ValueError, match="columns"):
        layout.join({"level": np.zeros((2, 1)), "spectra": np.ones((2, 2))})
    with pytest.raises(ValueError, match="3 columns"):
        layout.column("spectra")
    with pytest.raises(KeyError):
        layout.columns("nothing")
