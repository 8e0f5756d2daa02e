"""The errors of a take one by one, the bars they are in, and which hits each finding is about."""

from collections import Counter
from dataclasses import asdict, dataclass
from fractions import Fraction

from thrumble.core.coach.verdict.finding import Finding
from thrumble.core.coach.verdict.judgement import HitKey, JudgedHit, Judgement
from thrumble.core.counting import counted
from thrumble.core.music.meter import spoken_count

MIN_BARS_OF_OVERVIEW = 9  # fewer are seen at a glance
HEIGHTS = 4  # of an overview's bars


@dataclass(frozen=True, slots=True)
class ErrorLine:
    """A hit that is off: its mark in the strip, its bar, and what is wrong, in words."""

    hit: str
    bar: int
    words: str


@dataclass(frozen=True, slots=True)
class FindingLine:
    """A finding's sentence, and the marks of its hits, separated by spaces."""

    words: str
    hits: str
    count: str


@dataclass(frozen=True, slots=True)
class BarCell:
    """A played bar in the overview. `height`: 0 without errors, up to HEIGHTS."""

    number: int
    round: int
    height: int
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ErrorsView:
    """`origin_s` and `stretch`: a place of the strip, in its own seconds, is heard at origin_s +
    stretch x seconds of the take. `origin_s` None if the start isn't known.
    """

    errors: list[ErrorLine]
    findings: list[FindingLine]
    overview: list[BarCell]
    origin_s: float | None
    stretch: float

    @property
    def steps(self) -> list[dict[str, str | int]]:
        """The errors for the page's script."""
        return [asdict(error) for error in self.errors]


def errors_view(judgement: Judgement, findings: list[Finding], sentences: list[str]) -> ErrorsView:
    """All errors of a take in the order of time, worded as the findings word them."""
    reading = judgement.reading
    origin = None if reading.start_s is None else reading.start_s + judgement.around_ms / 1000
    return ErrorsView(
        errors=[_error(hit, judgement) for hit in judgement.hits if hit.off],
        findings=[
            FindingLine(words, " ".join(map(mark_of, finding.hits)), _count(finding))
            for finding, words in zip(findings, sentences, strict=True)
        ],
        overview=_overview(judgement),
        origin_s=origin,
        stretch=judgement.expanded.tempo_bpm / reading.tempo_bpm,
    )


def mark_of(key: HitKey) -> str:
    """A hit's key as the strip and the table write it."""
    return f"{key.round}-{key.index}"


def _count(finding: Finding) -> str:
    return counted(len(finding.hits), "hit") if finding.hits else ""


def _error(hit: JudgedHit, judgement: Judgement) -> ErrorLine:
    bars = {bar.number: bar for bar in judgement.expanded.bars}
    count = spoken_count(Fraction(hit.hit.at), bars[hit.hit.bar].meter)
    place = f"bar {hit.hit.bar}, on {count}"
    if hit.hit.round > 1:
        place = f"pass {hit.hit.round}, {place}"
    return ErrorLine(mark_of(hit.key), hit.hit.bar, f"{place}: {', '.join(_wrong(hit))}")


def _wrong(hit: JudgedHit) -> list[str]:
    """The errors of one hit, in words."""
    if hit.missed:
        return ["missed"]
    out = []
    if hit.late_ms is not None and not hit.in_time:
        out.append(f"{abs(hit.late_ms):.0f} ms {'late' if hit.late_ms > 0 else 'early'}")
    if hit.sounds_wrong and hit.articulation is not None:
        out.append(f"sounds {hit.articulation.value}, written {hit.due.hit.articulation.value}")
    if hit.stop_late and hit.stop_late_ms is not None:
        out.append(f"stops {hit.stop_late_ms:.0f} ms late")
    return out


def _overview(judgement: Judgement) -> list[BarCell]:
    """Every played bar with how many errors it holds; none for a take of few bars."""
    errors = Counter((hit.hit.round, hit.hit.bar) for hit in judgement.hits if hit.off)
    played = dict.fromkeys((hit.hit.round, hit.hit.bar) for hit in judgement.hits)
    if len(played) < MIN_BARS_OF_OVERVIEW:
        return []
    most = max(errors.values(), default=1)
    return [
        BarCell(
            bar,
            number,
            -(-errors[number, bar] * HEIGHTS // most),
            f"bar {bar}: {_error_count(errors[number, bar])}",
        )
        for number, bar in played
    ]


def _error_count(count: int) -> str:
    return counted(count, "error") if count else "clean"
