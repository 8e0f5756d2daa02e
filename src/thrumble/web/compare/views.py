"""Two sets of takes in words and places: what differs first, then what does not, then where."""

from dataclasses import dataclass
from datetime import UTC, datetime

from thrumble.actions.comparing import Compared
from thrumble.actions.judging import JudgedTake
from thrumble.core.coach.comparing.comparison import Comparison, Difference
from thrumble.core.counting import counted
from thrumble.core.riff.expand import expand
from thrumble.store.takes.take_lists import TakeLine
from thrumble.web.drawings.bars import BarDrawing
from thrumble.web.drawings.mirror import paired_strip
from thrumble.web.shared.takes import TakeLineView, take_line

SIDES = ("A", "B")


@dataclass(frozen=True, slots=True)
class FigureRow:
    """A figure: both values, the difference, what it says. `css`: clear or not."""

    name: str
    a: str
    b: str
    difference: str
    interval: str
    verdict: str
    css: str
    bar: tuple[float, float, float] | None  # left, width, middle of the interval, percent


@dataclass(frozen=True, slots=True)
class PlaceRow:
    """A place whose timing differs between A and B."""

    where: str
    a: str
    b: str
    difference: str
    interval: str


@dataclass(frozen=True, slots=True)
class SideView:
    """One side: its takes, and what there is to hear of the first: where bar 1 beat 1 lies in its
    sound, its tempo.
    """

    name: str
    takes: list[tuple[int, str]]
    take_id: int
    start_s: float
    tempo: float


@dataclass(frozen=True, slots=True, kw_only=True)
class CompareView:
    """The page. `strip`: each bar with both takes; `marks`: what the script reads, as JSON."""

    title: str
    meta: str
    first: str
    more: list[str]
    figures: list[FigureRow]
    places: list[PlaceRow]
    sides: list[SideView]
    strip: list[BarDrawing]
    cautions: list[str]
    query: str
    marks: dict[str, object]


def compare_view(compared: Compared, query: str) -> CompareView:
    """Everything that a comparison's page shows."""
    comparison = compared.found
    clear = [difference for difference in comparison.differences if difference.clear]
    sentences = [_sentence(difference) for difference in clear]
    sentences += _unclear_words(comparison)
    places = sorted(
        (place for place in comparison.places if place.clear), key=lambda place: -abs(place.value)
    )
    return CompareView(
        title=compared.revision.riff.title,
        meta=" against ".join(
            f"{name}: {counted(len(takes), 'take')}, {counted(rounds, 'pass', 'passes')}"
            for name, takes, rounds in zip(
                SIDES, (compared.a, compared.b), comparison.rounds, strict=True
            )
        ),
        first=sentences[0],
        more=sentences[1:],
        figures=[_row(difference) for difference in comparison.differences],
        places=[
            PlaceRow(
                f"bar {place.bar}, {place.at}",
                f"{place.a_ms:+.0f}",
                f"{place.b_ms:+.0f}",
                f"{place.value:+.0f} ms",
                f"{place.interval[0]:+.0f} to {place.interval[1]:+.0f}",
            )
            for place in places
        ],
        sides=[
            _side(name, takes) for name, takes in zip(SIDES, (compared.a, compared.b), strict=True)
        ],
        strip=paired_strip(compared.a[0].judgement, compared.b[0].judgement),
        cautions=list(comparison.cautions),
        query=query,
        marks=_marks(compared),
    )


def _unclear_words(comparison: Comparison) -> list[str]:
    """The measures without a clear difference: those that are alike, and those still open."""
    measured = [
        difference for difference in comparison.differences if difference.interval is not None
    ]
    still_open = [difference.metric.words for difference in measured if difference.is_open]
    clear = sum(difference.clear for difference in measured)
    same = len(measured) - clear - len(still_open)
    words = []
    if still_open:
        words.append(f"Too early to say: {', '.join(still_open)}. Play each a few times more.")
    if same:
        other = " other" if clear or still_open else ""
        words.append(f"No clear difference in {counted(same, f'{other} measure'.strip())}.")
    return words


def _marks(compared: Compared) -> dict[str, object]:
    """Bars in seconds at the riff's own tempo; onsets and due times in each side's own sound."""
    expanded = expand(compared.revision.riff)
    sides = {
        name.lower(): {
            "onsets": [round(h.onset_s, 4) for h in judged.reading.hits if h.onset_s is not None],
            "due": [round(hit.expected_s, 4) for hit in judged.reading.hits],
        }
        for name, takes in zip(SIDES, (compared.a, compared.b), strict=True)
        for judged in takes[:1]
    }
    return {
        "tempo": expanded.tempo_bpm,
        "round": expanded.round_s,
        "bars": [[bar.number, bar.start_s, bar.end_s] for bar in expanded.bars if bar.number > 0],
        "hits": [
            [due.index, round(due.due_s, 4), round(due.due_s + due.slot_s, 4)]
            for due in expanded.hits
        ],
        **sides,
    }


def _sentence(difference: Difference) -> str:
    assert difference.a is not None and difference.b is not None and difference.interval is not None
    unit = f" {difference.metric.unit}" if difference.metric.unit else ""
    digits = difference.metric.digits
    low, high = sorted(abs(end) for end in difference.interval)
    change = f"{abs(difference.value or 0):.{digits}f}{unit}"
    way = "less" if (difference.value or 0) < 0 else "more"
    sentence = (
        f"{difference.metric.words[0].upper()}{difference.metric.words[1:]}: B is "
        f"{change} {way} than A"
    )
    judged = {"a": ", so A is better", "b": ", so B is better", "": ""}[difference.better]
    return f"{sentence} ({low:.{digits}f} to {high:.{digits}f}){judged}."


def _row(difference: Difference) -> FigureRow:
    if (
        difference.a is None
        or difference.b is None
        or difference.interval is None
        or difference.value is None
    ):
        return FigureRow(difference.metric.words, "", "", "", "", difference.why, "untold", None)
    digits, unit = (
        difference.metric.digits,
        f" {difference.metric.unit}" if difference.metric.unit else "",
    )
    low, high = difference.interval
    reach = max(abs(low), abs(high), 1e-9)
    unclear = "too early to say" if difference.is_open else "no clear difference"
    if high - low < 1e-9:
        unclear = "the same"
    verdict = {"a": "A is better", "b": "B is better", "": "differs"}[difference.better]
    return FigureRow(
        name=difference.metric.words,
        a=f"{difference.a:.{digits}f}{unit}",
        b=f"{difference.b:.{digits}f}{unit}",
        difference=f"{difference.value:+.{digits}f}{unit}",
        interval=f"{low:+.{digits}f} to {high:+.{digits}f}",
        verdict=verdict if difference.clear else unclear,
        css="clear" if difference.clear else "",
        bar=(
            round(50 + 48 * low / reach, 1),
            round(48 * (high - low) / reach, 1),
            round(50 + 48 * difference.value / reach, 1),
        ),
    )


def _side(name: str, takes: list[JudgedTake]) -> SideView:
    take, reading = takes[0].take, takes[0].reading
    return SideView(
        name=name,
        takes=[(judged.take.id, f"take {judged.take.number}") for judged in takes],
        take_id=take.id,
        start_s=reading.start_s or 0.0,
        tempo=reading.tempo_bpm,
    )


@dataclass(frozen=True, slots=True)
class Choice:
    """A take that can go on either side."""

    line: TakeLineView
    side: str


def choices(lines: list[TakeLine], first: list[int], second: list[int]) -> list[Choice]:
    """The riff's takes with a reading, and where each lies now."""
    now = datetime.now(UTC)
    return [
        Choice(
            take_line(line, now),
            _side_of(line.take.id, first, second),
        )
        for line in lines
    ]


def _side_of(take_id: int, first: list[int], second: list[int]) -> str:
    if take_id in first:
        return "a"
    return "b" if take_id in second else ""
