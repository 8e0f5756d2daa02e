"""How sure the ear is: the benchmark's own last table as a page, and what this player's own
examples and corrections say.
"""

import json
import math
from collections import Counter
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

from thrumble.core.counting import counted
from thrumble.store.rig.rigs import Example, ToneProfile
from thrumble.trained import EAR

FIGURES = Path(__file__).parent / "figures.json"
TONES = ("clean", "crunch", "high gain")
FEW = 200
DOTS, DOTS_A_ROW, DOT_PX = 200, 20, 10.0
LIKELY = 0.97  # of open or muted told right; below it the cell is marked
SHAKY = 0.93
MAX_CORRECTIONS_TO_NAME = 3


@dataclass(frozen=True, slots=True)
class CellView:
    """One tone at one slot length. `rank`: good, fair or weak; `width`: of the bar, 0 to 100."""

    figure: str
    under: str
    rank: str
    width: int


@dataclass(frozen=True, slots=True)
class RowView:
    """A slot length with its cells, one a tone (None if nothing was measured)."""

    slot: str
    tempo: str
    cells: list[CellView | None]


@dataclass(frozen=True, slots=True)
class RealRowView:
    """Takes of one kind of string, echo or noise: each figure with the hits behind it."""

    name: str
    figures: list[tuple[str, str]]


@dataclass(frozen=True, slots=True)
class DotsView:
    """200 hits of a tone as dots, the wrong ones last; `words`: how many are right."""

    tone: str
    words: str
    label: str
    width: float
    height: float
    dots: list[tuple[float, float, str]]


@dataclass(frozen=True, slots=True)
class CertaintyView:
    """The whole page."""

    figure: str
    sentence: str
    note: str
    stale: str
    tones: tuple[str, ...]
    rows: list[RowView]
    dots: list[DotsView]
    unmet: RowView | None
    real: list[tuple[str, list[RealRowView]]]
    timing: list[tuple[str, str, str]]
    unlike: str
    profile: str
    own: list[tuple[str, str]]
    corrections: str


@lru_cache(maxsize=1)
def figures() -> dict[str, Any]:
    """The benchmark's last table, as written by its one command."""
    figures: dict[str, Any] = json.loads(FIGURES.read_text())
    return figures


def certainty_view(
    tones: list[tuple[ToneProfile, list[Example]]], corrected: list[tuple[str, str]]
) -> CertaintyView:
    """The table by tone and slot length, and the player's own."""
    table = figures()
    cells: list[dict[str, Any]] = table["cells"]
    total = sum(c["n"] for c in cells)
    muted = sum(c["muted"] * c["n"] for c in cells) / total
    slots = sorted({(c["from_ms"], c["to_ms"] or 1e9) for c in cells}, reverse=True)
    unlike_n = sum(c["unlike_n"] for c in cells)
    unlike = sum(c["unlike"] * c["unlike_n"] for c in cells) / max(1, unlike_n)
    stale = (
        ""
        if table["engine"] == EAR.version
        else f"These figures were measured with engine {table['engine']}; you run {EAR.version}."
    )
    return CertaintyView(
        figure=f"{muted * 100:.1f}",
        sentence="of 100 hits correctly recognised as open or muted",
        note=f"Measured over {total:,} hits: {table['note']}.",
        stale=stale,
        tones=TONES,
        rows=[_row(low, high, cells) for low, high in slots],
        dots=[_dots(tone, [c for c in cells if c["tone"] == tone]) for tone in TONES],
        unmet=_unmet(table.get("unmet")),
        real=_real(table.get("real_strings")),
        timing=[(tone, *_timing(table.get("timing", {}).get(tone))) for tone in TONES],
        unlike=(
            f"{unlike:.0%} of the {unlike_n} hits that weren't played as written came out as they "
            "were played."
        ),
        profile=_profile(table["profile"]),
        own=_tone_shares(tones),
        corrections=_corrections(corrected),
    )


def _dots(tone: str, cells: list[dict[str, Any]]) -> DotsView:
    total = sum(cell["n"] for cell in cells)
    share = sum(cell["muted"] * cell["n"] for cell in cells) / max(1, total)
    right = round(share * DOTS)
    words = f"{right} right ({share:.1%})"
    return DotsView(
        tone=tone,
        words=words,
        label=f"{tone}: of {DOTS} hits {words}",
        width=DOTS_A_ROW * DOT_PX,
        height=DOTS / DOTS_A_ROW * DOT_PX,
        dots=[
            (
                (number % DOTS_A_ROW + 0.5) * DOT_PX,
                (number // DOTS_A_ROW + 0.5) * DOT_PX,
                "right" if number < right else "wrong",
            )
            for number in range(DOTS)
        ],
    )


def _row(low: float, high: float, cells: list[dict[str, Any]]) -> RowView:
    slot = f"{low:.0f} to {high:.0f} ms"
    if high > 1e8:
        slot = f"{low:.0f} ms and more"
    elif not low:
        slot = f"under {high:.0f} ms"
    bpm_low, bpm_high = (30_000 / high if high < 1e8 else 0), (30_000 / low if low else 0)
    if not bpm_high:
        tempo = f"eighths over {bpm_low:.0f}, sixteenths over {bpm_low / 2:.0f} bpm"
    elif not bpm_low:
        tempo = f"eighths up to {bpm_high:.0f} bpm"
    else:
        tempo = (
            f"eighths at {bpm_low:.0f} to {bpm_high:.0f}, sixteenths at {bpm_low / 2:.0f} to "
            f"{bpm_high / 2:.0f} bpm"
        )
    out: list[CellView | None] = []
    for tone in TONES:
        mine = next((c for c in cells if c["tone"] == tone and c["from_ms"] == low), None)
        if mine is None:
            out.append(None)
            continue
        few = f", only {mine['n']} hits" if mine["n"] < FEW else ""
        out.append(_cell(mine["muted"], f"open, palm or dead {mine['kinds']:.0%}{few}"))
    return RowView(slot, tempo, out)


def _cell(muted: float, under: str) -> CellView:
    rank = "good" if muted >= LIKELY else "fair"
    if muted < SHAKY:
        rank = "weak"
    return CellView(f"{muted:.1%}", under, rank, round(max(0.0, (muted - 0.8) / 0.2) * 100))


def _unmet(figures: dict[str, Any] | None) -> RowView | None:
    """The guitars that nothing was trained on, at every slot length; None if this engine has not
    been tried on them.
    """
    if not figures or figures["engine"] != EAR.version:
        return None
    rows = {row["tone"]: row for row in figures["rows"] if row["n"]}
    cells: list[CellView | None] = []
    for tone in TONES:
        row = rows.get(tone)
        if row is None:
            cells.append(None)
            continue
        unlike = f"; right on {row['unlike_right']} of the {row['unlike']} not played as written"
        under = f"open, palm or dead {row['kinds_right'] / row['n']:.0%}{unlike}"
        cells.append(_cell(row["muted_right"] / row["n"], under))
    return RowView("guitars not used in training", "at every tempo", cells)


REAL_COLUMNS = ("kinds", "open_singles", "unlike", "extra_precision")
REAL_TABLES = {
    "strings": "the strings",
    "echo": "echo, with the noise of the hand",
    "hand noise": "the noise of the hand",
}

REAL_NAMES = {
    ("echo", "none"): "no echo",
    ("echo", "slap or later"): "a slap echo, or a longer one",
    ("hand noise", "none"): "a silent hand",
    ("hand noise", "at stops"): "heard when it stops the strings",
    ("hand noise", "squeaks"): "squeaking on the way to the next fret",
    ("strings", "recorded, worn"): "a recorded guitar, its strings worn",
    ("strings", "recorded, dead"): "the same, duller still",
}


def _real(document: dict[str, Any] | None) -> list[tuple[str, list[RealRowView]]]:
    """What was measured behind amplifiers that nobody here wrote, by what was changed; empty if
    this engine has not been tried there.
    """
    if not document or document["engine"] != EAR.version:
        return []
    out: dict[str, list[RealRowView]] = {}
    for row in document["rows"]:
        figures = []
        for key in REAL_COLUMNS:
            right, of = row[key]
            figures.append((f"{right / of:.0%}", f"{right} of {of}") if of else ("none", ""))
        name = REAL_NAMES.get((row["table"], row["name"]), row["name"])
        out.setdefault(REAL_TABLES[row["table"]], []).append(RealRowView(name, figures))
    return list(out.items())


def _timing(figures: dict[str, float] | None) -> tuple[str, str]:
    """Never better than measured: tenths of a millisecond, rounded up."""
    if figures is None:
        return "not measured", ""
    middle, tail = (math.ceil(figures[key] * 10) / 10 for key in ("middle_ms", "tail_ms"))
    return f"half of all hits within {middle:.1f} ms", f"19 of 20 within {tail:.1f} ms"


def _profile(figures: dict[str, Any]) -> str:
    without, with_examples = figures.get("without"), figures.get("with")
    if not without or not with_examples:
        return "What your own examples change was not measured."
    a, b = (x["unlike_right"] / max(1, x["unlike"]) for x in (without, with_examples))
    return (
        f"On {with_examples['n']} hits of guitars with sixteen examples each, "
        f"{with_examples['right'] / with_examples['n']:.1%} came out right with the examples "
        f"and {without['right'] / without['n']:.1%} without; of those played unlike the plan "
        f"{b:.1%} and {a:.1%}."
    )


def _tone_shares(tones: list[tuple[ToneProfile, list[Example]]]) -> list[tuple[str, str]]:
    out = []
    for tone, examples in tones:
        kinds = Counter(example.kind for example in examples)
        words = ", ".join(f"{n} {kind}" for kind, n in kinds.items()) or "no examples yet"
        out.append((f"{tone.name} ({tone.sound})", words))
    return out


def _corrections(corrected: list[tuple[str, str]]) -> str:
    if not corrected:
        return (
            "You haven't corrected a hit yet. When we get a hit wrong, say what it was; we keep "
            "count here."
        )
    most = Counter(
        (read, corrected) for read, corrected in corrected if read != corrected
    ).most_common(MAX_CORRECTIONS_TO_NAME)
    agreed = sum(read == corrected for read, corrected in corrected)
    words = "; ".join(
        f"{n} called {read} that you say {'were' if n > 1 else 'was'} {corrected}"
        for (read, corrected), n in most
    )
    hits = counted(len(corrected), "hit")
    return f"You checked {hits} yourself and agreed on {agreed}" + (f": {words}." if words else ".")
