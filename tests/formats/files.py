"""Files of several formats to read."""

import io
import zipfile
from io import BytesIO

from mido import Message, MetaMessage, MidiFile, MidiTrack

from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Hit, Riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts

DEMO = {name: parse_riff(text) for name, text in riff_texts().items()}


def played(riff: Riff) -> list[tuple[int, Hit]]:
    """What is played, hit by hit, whatever its sections are called."""
    return [(due.bar, due.hit) for due in expand(riff).hits]


def midi(*tracks: list[object], type_: int = 1) -> bytes:
    file = MidiFile(type=type_, ticks_per_beat=480, charset="utf-8")
    for events in tracks:
        file.tracks.append(MidiTrack(events))
    out = BytesIO()
    file.save(file=out)
    return out.getvalue()


def notes(*struck: tuple[int, int, int], name: str = "") -> list[object]:
    """A track of (tick, length, pitch)."""
    events = [(at, Message("note_on", note=n, velocity=90)) for at, _, n in struck]
    events += [(at + long, Message("note_off", note=n)) for at, long, n in struck]
    out: list[object] = [MetaMessage("track_name", name=name)] if name else []
    now = 0
    for at, event in sorted(events, key=lambda e: (e[0], e[1].type == "note_on")):
        out.append(event.copy(time=at - now))
        now = at
    return out


def zipped(score_bytes: bytes, path: str = "score.xml") -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(
            "META-INF/container.xml",
            f'<container><rootfiles><rootfile full-path="{path}"/></rootfiles></container>',
        )
        archive.writestr("score.xml", score_bytes)
    return out.getvalue()
