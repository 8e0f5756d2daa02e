"""What a MusicXML file holds, as values: its parts, the measures of one of them, and the order they
are played in. Nothing of a riff yet; `musicxml_reading` makes one of it.
"""

import io
import zipfile
import zlib
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any
from xml.etree.ElementTree import Element, ParseError, TreeBuilder

from defusedxml import DefusedXmlException
from defusedxml import ElementTree as SafeXml

from thrumble.core.errors import RiffError

MAX_BYTES = 20_000_000  # unpacked
MAX_MEMBERS = 200
MAX_REPEATS = 64  # of one stretch
MAX_ELEMENTS = 500_000  # an element takes half a kilobyte once it is parsed
MAX_MEASURES = 2000  # in playing order


@dataclass(frozen=True, slots=True)
class PartChoice:
    """A part that a riff could be taken from."""

    id: str
    name: str
    notes: int
    tablature: bool


@dataclass(slots=True)
class Measure:
    """One measure as it is written. `ending`: the passes it is played in, empty for all."""

    number: str
    element: Element
    implicit: bool
    forward: bool = False
    backward: int = 0  # how often it is played where it ends with a repeat, 0 for none
    ending: frozenset[int] = field(default_factory=frozenset)


def parsed(data: bytes) -> Element:
    """The root of a score, unpacked if it is compressed. Raises RiffError: no such file, too
    large, entities, not partwise.
    """
    if data[:4] == b"PK\x03\x04":
        data = _unpacked(data)
    if len(data) > MAX_BYTES:
        raise _wrong(f"a score has at most {MAX_BYTES // 1_000_000} MB", f"{len(data)} bytes")
    try:
        root = _tree(data)
    except DefusedXmlException:
        raise _wrong(
            "this score defines entities or fetches files: that is refused; export it again without"
        ) from None
    except (ParseError, ValueError, LookupError) as error:
        raise _wrong("this isn't MusicXML we can read: export it again", error) from None
    if root.tag == "score-timewise":
        raise _wrong("this is a score-timewise file: export it as partwise", root.tag)
    if root.tag != "score-partwise":
        raise _wrong("this isn't a score: a MusicXML file begins with score-partwise", root.tag)
    return root


class _BoundedTree(TreeBuilder):
    """Builds the element tree, and stops once it has too many elements."""

    def __init__(self) -> None:
        super().__init__()
        self._count = 0

    def start(self, tag: Any, attrs: Any, /) -> Any:
        self._count += 1
        if self._count > MAX_ELEMENTS:
            raise _wrong(f"a score has at most {MAX_ELEMENTS:,} elements: export just the guitar")
        return super().start(tag, attrs)


def _tree(data: bytes) -> Element:
    parser = SafeXml.DefusedXMLParser(target=_BoundedTree())
    parser.feed(data)
    root: Element = parser.close()
    return root


def _unpacked(data: bytes) -> bytes:
    """The score inside a compressed file, as its container says."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if len(archive.infolist()) > MAX_MEMBERS:
                raise _wrong(f"a compressed score holds at most {MAX_MEMBERS} files")
            container = _tree(_member(archive, "META-INF/container.xml"))
            roots = [e.get("full-path", "") for e in container.iter() if _bare(e) == "rootfile"]
            if not roots:
                raise _wrong("this compressed score does not say which of its files is the score")
            return _member(archive, roots[0])
    except DefusedXmlException:
        raise _wrong("this compressed score defines entities: that is refused") from None
    except (zipfile.BadZipFile, KeyError, ParseError, NotImplementedError, RuntimeError) as error:
        raise _wrong("this compressed score is damaged: export it again", error) from None
    except (OSError, EOFError, ValueError, zlib.error) as error:
        raise _wrong("this compressed score is damaged: export it again", error) from None


def _member(archive: zipfile.ZipFile, name: str) -> bytes:
    with archive.open(name) as file:
        data = file.read(MAX_BYTES + 1)
    if len(data) > MAX_BYTES:
        raise _wrong(f"unpacked, a score has at most {MAX_BYTES // 1_000_000} MB")
    return data


def _bare(element: Element) -> str:
    return str(element.tag).rpartition("}")[2]


def _wrong(expected: str, value: object = "") -> RiffError:
    return RiffError(expected, found=" ".join(str(value).split())[:80], place="file")


def parts_of(root: Element) -> list[PartChoice]:
    """The parts with notes, the guitar's first: with tablature, by name, else with most notes."""
    names = {p.get("id"): p.findtext("part-name", "") for p in root.iter("score-part")}
    parts: list[PartChoice] = []
    for part in root.findall("part"):
        notes = sum(note.find("rest") is None for note in part.iter("note"))
        tab = any(sign.text == "TAB" for sign in part.iter("sign"))
        drums = any(sign.text == "percussion" for sign in part.iter("sign"))
        words = "".join(c for c in names.get(part.get("id")) or "" if c.isprintable())
        name = words.strip()[:60] or f"part {len(parts) + 1}"
        if notes and not drums:
            parts.append(PartChoice(part.get("id", ""), name, notes, tab))
    named = ("guitar", "gtr", "git")
    return sorted(
        parts,
        key=lambda part: (
            not part.tablature,
            not any(word in part.name.lower() for word in named),
            -part.notes,
        ),
    )


def measures_of(root: Element, part_id: str) -> list[Measure]:
    """The measures of a part as they are written."""
    (part,) = [part for part in root.findall("part") if part.get("id", "") == part_id][:1]
    out: list[Measure] = []
    running: frozenset[int] = frozenset()
    for count, element in enumerate(part.findall("measure"), 1):
        number = (element.get("number") or str(count))[:12]
        implicit = element.get("implicit") == "yes" or number == "0"
        measure = Measure(number, element, implicit)
        closes = False
        for line in element.findall("barline"):
            closes = _barline(line, measure) or closes
        running = measure.ending or running
        measure.ending = running
        if closes:
            running = frozenset()
        out.append(measure)
    return out


def _barline(line: Element, measure: Measure) -> bool:
    """Takes up repeat and ending of a bar line; whether an ending stops here."""
    repeat, ending = line.find("repeat"), line.find("ending")
    if repeat is not None and repeat.get("direction") == "forward":
        measure.forward = True
    elif repeat is not None:
        times = repeat.get("times", "2")
        short = times.isdecimal() and len(times) < 4
        measure.backward = min(MAX_REPEATS, max(2, int(times))) if short else 2
    if ending is None:
        return False
    if ending.get("type") == "start":
        passes = (ending.get("number") or "1").replace(" ", ",").split(",")
        measure.ending = frozenset(int(n) for n in passes if n.isdecimal() and len(n) < 3)
    return ending.get("type") in ("stop", "discontinue")


def played(measures: list[Measure]) -> list[int]:
    """The places of the measures in the order they are played: repeats and endings written out.
    Raises RiffError if that is endless or very long.
    """
    out: list[int] = []
    at, start, number = 0, 0, 1
    while at < len(measures):
        measure = measures[at]
        behind_endings = at > start and not measure.ending and measures[at - 1].ending
        if behind_endings or (measure.forward and at != start):
            start, number = at, 1
        if measure.ending and number not in measure.ending:
            at += 1
            continue
        out.append(at)
        if len(out) > MAX_MEASURES:
            raise _wrong(f"with its repeats the score has more than {MAX_MEASURES} measures")
        if measure.backward and number < _passes(measures, at):
            at, number = start, number + 1
            continue
        if measure.backward and not measure.ending:
            start, number = at + 1, 1
        at += 1
    return out


def _passes(measures: list[Measure], at: int) -> int:
    """How often the stretch that ends here is played: as its endings say, else its repeat."""
    if not measures[at].ending:
        return measures[at].backward
    first = at
    while first and measures[first - 1].ending:
        first -= 1
    last = at
    while last + 1 < len(measures) and measures[last + 1].ending and not measures[last + 1].forward:
        last += 1
    return max(max(m.ending, default=1) for m in measures[first : last + 1])


def numbers(parent: Element, path: str) -> Iterator[float]:
    """The numbers under a path, those that are none left out."""
    for element in parent.iterfind(path):
        value = number_of(element.text)
        if value is not None:
            yield value


def number_of(text: Any, low: float = -1e9, high: float = 1e9) -> float | None:
    """A finite number within bounds from text, else None."""
    try:
        value = float(text)
    except (TypeError, ValueError):
        return None
    return value if low <= value <= high else None
