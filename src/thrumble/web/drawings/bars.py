"""What a bar of the strip is made of: shapes, words and places, in pixels from the bar's corner."""

from dataclasses import dataclass, field

from thrumble.core.riff.expand import PlayedBar

WHOLE_PX = 272.0  # a whole note; four such bars fill the page of a laptop
HALF_PX = 64.0  # height of the plan, and of the take
BAND_PX = 20.0
HEAD_PX = 22.0
FOOT_PX = 18.0
SECOND_BAND_PX = 20.0
SIDE_PX = 14.0


@dataclass(frozen=True, slots=True)
class Block:
    """One hit as a shape. `css`: open, palm, dead, missed, extra; `path` is SVG path data; `stop_x`
    where a wall stands.
    """

    css: str
    path: str
    title: str
    hit: str  # round-index, for scripts
    stop: str = ""
    signs: str = ""  # lines over the block: slide, bend, hammer-on, one string after another
    question_x: float | None = None


@dataclass(frozen=True, slots=True)
class Wedge:
    """Early or late on the line."""

    css: str
    path: str
    title: str


@dataclass(frozen=True, slots=True)
class Word:
    """A text at a place; `row`: the second one lies a line lower; `size`: small or usual."""

    x: float
    text: str
    css: str = ""
    row: int = 0
    size: str = ""


@dataclass(frozen=True, slots=True)
class Slot:
    """A place of the count: `from_s` and `to_s` in seconds from the bar's start."""

    x: float
    width: float
    text: str
    from_s: float
    to_s: float


@dataclass(slots=True)
class BarDrawing:
    """Everything a bar's template places."""

    number: int
    round: int
    section: str
    width: float
    start_s: float
    slots: list[Slot]
    chords: list[Word]
    plan: list[Block]
    take: list[Block] = field(default_factory=list)
    wedges: list[Wedge] = field(default_factory=list)
    notes: list[Word] = field(default_factory=list)
    mirrored: bool = False
    ramps: list[str] = field(default_factory=list)
    second: "BarDrawing | None" = None  # another take of the same bar
    between: str = ""  # words between the two takes

    @property
    def line_y(self) -> float:
        return HEAD_PX + HALF_PX

    @property
    def height(self) -> float:
        taken = HALF_PX + FOOT_PX if self.mirrored else 2
        return HEAD_PX + HALF_PX + BAND_PX + taken + (self.second_y if self.second else 0)

    @property
    def second_y(self) -> float:
        """How far under the first the second take lies."""
        return HALF_PX + SECOND_BAND_PX

    @property
    def side_dy(self) -> float:
        """The distance from the drawing's line down to the words between the two takes."""
        return self.second_y + SIDE_PX

    @property
    def foot_y(self) -> float:
        """Where the words under the take stand."""
        return self.height - (self.second_y if self.second else 0)

    @property
    def label(self) -> str:
        """The bar in words, for screen readers: each hit as written, then as heard."""
        takes = [self.take, *([self.second.take] if self.second else [])]
        by_hit: dict[str, list[str]] = {}
        for take in takes:
            for block in take:
                by_hit.setdefault(block.hit, []).append(block.title)
        hits = [", ".join([block.title, *by_hit.pop(block.hit, [])]) for block in self.plan]
        extra = [title for titles in by_hit.values() for title in titles]
        return f"Bar {self.number}, section {self.section}. {'; '.join([*hits, *extra])}"


def place_x(bar: PlayedBar, at_s: float, width: float) -> float:
    """Where a moment of the riff lies in a bar so wide."""
    return (at_s - bar.start_s) / (bar.end_s - bar.start_s) * width
