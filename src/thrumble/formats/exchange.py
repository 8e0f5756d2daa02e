"""The files a riff comes in and goes out as, one row each: how it is read and written, and what
of a riff it does not hold. Shell and screens read this table and nothing else.
"""

import json
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

from thrumble.core.errors import RiffError
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.printing import print_riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.formats.riff_json import read_riff_json, riff_document
from thrumble.formats.sections import lost_in_order
from thrumble.formats.tablature.reading import looks_like_tab, read_tab
from thrumble.formats.tablature.writing import tab_lost, write_tab

INDENTED_BYTES = 1_000_000  # a longer JSON file is written without white space
UTF_16 = (b"\xff\xfe", b"\xfe\xff")  # how a score in it begins


@dataclass(frozen=True, slots=True)
class ImportOptions:
    """What a file leaves open and somebody has to say: which of its parts, from 0 in the order
    they are named; how long a column's step is, in whole notes; how the strings are tuned, lowest
    first, if the file has notes and no strings.
    """

    part: int | None = None
    grid: Fraction | None = None
    tuning: tuple[str, ...] | None = None


NO_OPTIONS = ImportOptions()


@dataclass(frozen=True, slots=True)
class ReadRiff:
    """A riff from a file. `source`: its text, as typed if it was typed; `left_out`: what was in
    the file and is not in the riff; `parts`: names of those it could have been taken from, the one
    taken first; `guessed_grid`: if the rhythm comes from columns, their step.
    """

    riff: Riff
    source: str
    left_out: tuple[str, ...] = ()
    parts: tuple[str, ...] = ()
    guessed_grid: Fraction | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Format:
    """One kind of file. `suffixes`: of its names, the first one is given; `loses`: what of a riff
    it does not hold, in words.
    """

    name: str
    title: str
    suffixes: tuple[str, ...]
    media_type: str
    read: Callable[[bytes, ImportOptions], ReadRiff]
    write: Callable[[Riff], bytes]
    loses: Callable[[Riff], list[str]]


def _read_text(data: bytes, options: ImportOptions) -> ReadRiff:
    """A riff's text; a tablature has that ending too."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise RiffError(
            "a riff is text in UTF-8, JSON, MIDI or MusicXML; this file is none of them",
            place="file",
        ) from None
    if not text.strip():
        raise RiffError("the riff is empty; write a title, a tempo and a section", place="file")
    if looks_like_tab(text):
        return _read_tab(data, options)
    return ReadRiff(parse_riff(text), text)


def _read_tab(data: bytes, options: ImportOptions) -> ReadRiff:
    imported = read_tab(data, grid=options.grid)
    guessed = imported.grid if imported.guessed else None
    return ReadRiff(
        imported.riff, print_riff(imported.riff), imported.left_out, guessed_grid=guessed
    )


def _read_json(data: bytes, _: ImportOptions) -> ReadRiff:
    riff = read_riff_json(data)
    return ReadRiff(riff, print_riff(riff))


# MIDI's library is loaded by who meets such a file: a shell command that meets none starts sooner


def _read_midi(data: bytes, options: ImportOptions) -> ReadRiff:
    from thrumble.formats.midi.reading import read_midi

    imported = read_midi(data, tuning=options.tuning)
    names = tuple(track.name for track in imported.tracks)
    if options.part:
        if options.part >= len(names):
            raise RiffError(f"there are tracks 0 to {len(names) - 1}", found=str(options.part))
        imported = read_midi(
            data, track=imported.tracks[options.part].number, tuning=options.tuning
        )
    return ReadRiff(imported.riff, print_riff(imported.riff), imported.left_out, names)


def _read_musicxml(data: bytes, options: ImportOptions) -> ReadRiff:
    from thrumble.formats.musicxml.reading import read_musicxml

    imported = read_musicxml(data, part=options.part, tuning=options.tuning)
    names = tuple(part.name for part in imported.parts)
    return ReadRiff(imported.riff, print_riff(imported.riff), imported.left_out, names)


def _write_musicxml(riff: Riff) -> bytes:
    from thrumble.formats.musicxml.writing import write_musicxml

    return write_musicxml(riff)


def _musicxml_lost(riff: Riff) -> list[str]:
    from thrumble.formats.musicxml.writing import musicxml_lost

    return musicxml_lost(riff)


def _write_midi(riff: Riff) -> bytes:
    from thrumble.formats.midi.writing import write_midi

    return write_midi(riff)


def _write_json(riff: Riff) -> bytes:
    document = riff_document(riff)
    text = json.dumps(document, ensure_ascii=False, indent=1)
    if len(text) > INDENTED_BYTES:  # nobody reads it, and it must stay below what is read back
        text = json.dumps(document, ensure_ascii=False, separators=(",", ":"))
    return (text + "\n").encode()


FORMATS = (
    Format(
        name="json",
        title="JSON",
        suffixes=(".riff.json", ".json"),
        media_type="application/json",
        read=_read_json,
        write=_write_json,
        loses=lambda _: [],
    ),
    Format(
        name="text",
        title="Text",
        suffixes=(".riff.txt", ".txt"),
        media_type="text/plain; charset=utf-8",
        read=_read_text,
        write=lambda riff: print_riff(riff).encode(),
        loses=lambda _: [],
    ),
    Format(
        name="midi",
        title="MIDI",
        suffixes=(".mid", ".midi"),
        media_type="audio/midi",
        read=_read_midi,
        write=_write_midi,
        loses=lost_in_order,
    ),
    Format(
        name="musicxml",
        title="MusicXML",
        suffixes=(".musicxml", ".mxl", ".xml"),
        media_type="application/xml",
        read=_read_musicxml,
        write=_write_musicxml,
        loses=_musicxml_lost,
    ),
    Format(
        name="tab",
        title="Tablature",
        suffixes=(".tab.txt", ".tab"),
        media_type="text/plain; charset=utf-8",
        read=_read_tab,
        write=write_tab,
        loses=tab_lost,
    ),
)


def format_of(name: str) -> Format:
    """The kind of a file by its name. Raises RiffError naming the kinds there are."""
    fitting = [fmt for fmt in FORMATS if name.lower().endswith(fmt.suffixes)]
    if fitting:  # `.tab.txt` is more than `.txt`
        return max(fitting, key=lambda fmt: _longest(name, fmt))
    suffixes = ", ".join(suffix for fmt in FORMATS for suffix in fmt.suffixes)
    raise RiffError(f"no riff format is called that; there are {suffixes}", found=name[-40:])


def _longest(name: str, format: Format) -> int:
    return max(len(suffix) for suffix in format.suffixes if name.lower().endswith(suffix))


def read_any(data: bytes, options: ImportOptions = NO_OPTIONS) -> ReadRiff:
    """A riff from a file of any kind, told by how it begins."""
    if data[:4] == b"MThd":
        return _read_midi(data, options)
    begin = data[:200].lstrip(b"\xef\xbb\xbf \t\r\n")
    if data[:4] == b"PK\x03\x04" or begin[:1] == b"<" or data[:2] in UTF_16:
        return _read_musicxml(data, options)
    return _read_json(data, options) if begin[:1] == b"{" else _read_text(data, options)
