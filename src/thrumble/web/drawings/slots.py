"""Every place of a riff over many takes: a bar for how far off it lies, leaning the way it goes,
with what else is wrong there.
"""

from dataclasses import dataclass
from urllib.parse import urlencode

from thrumble.core.coach.progress.habits import Habit
from thrumble.core.counting import counted
from thrumble.core.music.meter import spoken_count
from thrumble.core.riff.expand import ExpandedRiff
from thrumble.web.drawings.bars import WHOLE_PX

HIGH, FOOT, HEAD = 74.0, 20.0, 22.0
MIN_FULL_MS, MAX_MS = 15.0, 40.0
OFF_MS = 12.0  # a habit from here on
OFTEN = 0.15  # of the times: missed, or wrong, by habit
WIDEST_PX, GAP_PX, LEAN_PX = 26.0, 2.0, 9.0


@dataclass(frozen=True, slots=True)
class Slot:
    """One place. `css`: late, early or fine; `text` over it if something else is wrong."""

    path: str
    css: str
    title: str
    x: float
    text: str
    text_y: float
    count: str
    href: str


@dataclass(frozen=True, slots=True)
class SlotBar:
    """One written bar."""

    name: str
    width: float
    height: float
    foot_y: float
    slots: list[Slot]
    label: str


def full_height_ms(habits: list[Habit]) -> float:
    """The lateness that a bar of full height stands for: the largest one, within limits, so that
    small habits can be seen and chance doesn't look like one.
    """
    largest = max((abs(habit.late_ms or 0.0) for habit in habits), default=0.0)
    return min(MAX_MS, max(MIN_FULL_MS, largest))


def slot_bars(expanded: ExpandedRiff, habits: list[Habit], behind: str) -> list[SlotBar]:
    """Every written bar once, in the order it is played first. `behind`: the address of the takes
    behind the riff's figures, to which a place adds its own.
    """
    full_ms = full_height_ms(habits)
    habits_by_place = {(habit.section, habit.bar, habit.at): habit for habit in habits}
    seen: set[tuple[str, int]] = set()
    out = []
    for bar in expanded.bars:
        key = (bar.section, bar.bar_in_section)
        if key in seen:
            continue
        seen.add(key)
        width = round(float(bar.meter.length) * WHOLE_PX, 1)
        hits = [due.hit for due in expanded.hits if due.bar == bar.number]
        ends = [hit.at for hit in hits[1:]] + [bar.meter.length]
        slots = []
        for hit, end in zip(hits, ends, strict=True):
            habit = habits_by_place.get((*key, str(hit.at)))
            if habit is not None:
                room = float((end - hit.at) / bar.meter.length) * width
                x = float(hit.at / bar.meter.length) * width
                slots.append(
                    _slot(
                        habit,
                        x,
                        min(WIDEST_PX, room - GAP_PX),
                        spoken_count(hit.at, bar.meter),
                        behind,
                        full_ms,
                    )
                )
        out.append(
            SlotBar(
                name=f"{bar.section} {bar.bar_in_section}",
                width=width,
                height=HEAD + HIGH + FOOT,
                foot_y=HEAD + HIGH,
                slots=slots,
                label=f"Section {bar.section}, bar {bar.bar_in_section}: "
                + "; ".join(slot.title for slot in slots),
            )
        )
    return out


def _slot(habit: Habit, x: float, width: float, count: str, behind: str, full_ms: float) -> Slot:
    late = habit.late_ms or 0.0
    tall = 3.0 + min(full_ms, abs(late)) / full_ms * (HIGH - 14)
    base, top = HEAD + HIGH, HEAD + HIGH - tall
    css, lean = "fine", 0.0
    if abs(late) >= OFF_MS:
        css, lean = ("late", LEAN_PX) if late > 0 else ("early", -LEAN_PX)
    left, right = (top, min(base, top + lean)) if lean > 0 else (min(base, top - lean), top)
    path = f"M{x:.1f} {base:.1f}V{left:.1f}L{x + width:.1f} {right:.1f}V{base:.1f}Z"
    words = []
    if habit.missed >= OFTEN:
        words.append(f"{habit.missed:.0%} missed")
    if habit.wrong is not None and habit.wrong >= OFTEN:
        words.append(f"{habit.wrong:.0%} wrong")
    title = f"on {count}, {counted(habit.times, 'time')}: {late:+.0f} ms"
    if words:
        title += ", " + ", ".join(words)
    place = {"section": habit.section, "bar": habit.bar, "at": habit.at}
    href = f"{behind}&{urlencode(place)}"
    short = words[0].split(" ")[0] if words else ""
    return Slot(path, css, title, round(x + width / 2, 1), short, top - 4, count, href)
