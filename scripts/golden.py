"""Writes what the ear makes of one short take into tests/golden: the features that its networks
see, and the reading; and what is found in 32 analysed takes. Run it when the ear or a finding was
changed on purpose; the ear's version stands in the file.

    python scripts/golden.py
"""

import gzip
import json
from pathlib import Path
from typing import Any

import numpy as np

from thrumble.actions.listening import listen, read_riff
from thrumble.core.coach.verdict.findings import find_findings
from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.ear.align.onsets import CANDIDATES, measure_candidates
from thrumble.core.ear.front.conditioning import condition_recording
from thrumble.core.ear.front.envelope import Envelope
from thrumble.core.ear.front.spectrum import bands_of
from thrumble.core.ear.measure.articulation import HITS, measure_hits
from thrumble.core.ear.measure.chords import STRAYS, Ringing, measure_strays
from thrumble.core.ear.measure.placing import AROUND_PLACE, around_places, measure_places
from thrumble.core.ear.measure.strumming import STRUMS, measure_strums
from thrumble.core.ear.model.layout import Layout
from thrumble.core.ear.take import TakeInfo
from thrumble.core.riff.expand import expand
from thrumble.formats.audio import read_audio
from thrumble.formats.reading_json import reading_document, reading_from_document
from thrumble.formats.riff_json import riff_from_document
from thrumble.trained import EAR

GOLDEN = Path(__file__).parent.parent / "tests/golden"
KEPT = GOLDEN / "heard.json"
FINDINGS = GOLDEN / "findings.json.gz"
START_S = 1.0


def found_again() -> bytes:
    """The stored takes with today's findings, as JSON, compressed."""
    cases = json.loads(gzip.decompress(FINDINGS.read_bytes()))
    for case in cases:
        expanded = expand(riff_from_document(case["riff"]))
        judgement = judge(reading_from_document(case["reading"]), expanded)
        findings = [(found, found.sentence(judgement)) for found in find_findings(judgement)]
        shown = reading_document(judgement.reading, findings)["causes"]
        case["findings"] = [
            {name: cause[name] for name in ("kind", "cost", "text")} for cause in shown
        ]
    return gzip.compress(json.dumps(cases, separators=(",", ":")).encode(), 9, mtime=0)


def heard() -> dict[str, Any]:
    """Version, the middle of every group of features over the take's hits, and the reading."""
    riff = read_riff((GOLDEN / "take.riff.txt").read_bytes())
    sound = (GOLDEN / "take.flac").read_bytes()
    info = TakeInfo(start_s=START_S, delay_ms=0.0)
    reading = reading_document(listen(riff, sound, tempo_bpm=None, info=info))
    onsets = np.array([hit["onset_s"] for hit in reading["hits"]])
    return {"engine": EAR.version, "features": _features(sound, onsets), "reading": reading}


def _features(sound: bytes, onsets_s: np.ndarray[Any, Any]) -> dict[str, dict[str, float]]:
    take = condition_recording(read_audio(sound))
    bands, envelope = bands_of(take.samples), Envelope(take.samples)
    ends = np.append(onsets_s[1:], take.duration_s)
    chord = Ringing(float(onsets_s[0]), float(ends[0]), (42, 49), {4: 50, 3: 55, 2: 59, 1: 64})
    held = Ringing(float(onsets_s[-1]), float(ends[-1]), (47, 54), {6: 40, 3: 55, 2: 59, 1: 64})
    seen: dict[str, tuple[Layout, Any]] = {
        "onsets": (CANDIDATES, measure_candidates(envelope, bands)[1]),
        "places": (AROUND_PLACE, around_places(measure_places(take.samples, onsets_s))),
        "articulation and depth": (HITS, measure_hits(take.samples, bands, onsets_s, ends)),
        "strum": (STRUMS, measure_strums(envelope, onsets_s)),
        "strays": (STRAYS, np.concatenate(measure_strays(take.samples, [chord, held]))),
    }
    return {
        network: {
            name: round(float(np.abs(rows[:, layout.columns(name)]).mean()), 4)
            for name, _ in layout.groups
        }
        for network, (layout, rows) in seen.items()
    }


if __name__ == "__main__":
    FINDINGS.write_bytes(found_again())
    KEPT.write_text(json.dumps(heard(), indent=1) + "\n")
