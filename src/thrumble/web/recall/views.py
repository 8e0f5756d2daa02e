"""The recall drill in words."""

from dataclasses import dataclass
from typing import Any

from thrumble.core.chords.names import name_notes
from thrumble.core.counting import counted
from thrumble.core.instrument import Instrument
from thrumble.core.music.pitch import spell
from thrumble.core.rig.recall import Call, Order, Recalled
from thrumble.store.practice.hands import Recall

ORDER_WORDS = {
    Order.RANDOM: "at random",
    Order.CIRCLE: "round the circle of fifths",
    Order.WEAK: "the weak ones more often",
}
MIN_STRING = 3  # roots lie on the lower strings; the two highest carry no power chord
SLOW_MS = 2000.0


@dataclass(frozen=True, slots=True)
class Cell:
    """How one chord is recalled on one string."""

    time: str
    right: str
    css: str


@dataclass(frozen=True, slots=True)
class Row:
    """One root on every string."""

    name: str
    cells: list[Cell]


@dataclass(frozen=True, slots=True, kw_only=True)
class RecallView:
    """The page."""

    sentence: str
    strings: list[int]
    rows: list[Row]
    orders: list[tuple[str, str]]
    roots: list[tuple[int, str, bool]]


def recall_view(neck: Instrument, recalls: dict[Call, Recall]) -> RecallView:
    """What was recalled so far, and what there is to choose from."""
    strings = [string for string in reversed(neck.strings) if string >= MIN_STRING]
    naturals = {0, 2, 4, 5, 7, 9, 11}
    return RecallView(
        sentence=_standing(recalls),
        strings=strings,
        rows=[_row(root, strings, recalls) for root in range(12)],
        orders=[(order.value, words) for order, words in ORDER_WORDS.items()],
        roots=[(root, spell(root), root in naturals) for root in range(12)],
    )


def _standing(recalls: dict[Call, Recall]) -> str:
    """The slowest chord, or what to do first."""
    measured = {call: recall for call, recall in recalls.items() if recall.recall_ms is not None}
    wrong = [
        call
        for call, recall in recalls.items()
        if recall.right * 2 < recall.asked and recall.asked > 1
    ]
    if wrong:
        call = min(wrong)
        return f"You miss {call.name()} on string {call.string} most. Run it again."
    if measured:
        call = max(measured, key=lambda call_measured: measured[call_measured].recall_ms or 0.0)
        return (
            f"Your slowest is {call.name()} on string {call.string}, "
            f"{(measured[call].recall_ms or 0) / 1000:.1f} s from call to hit."
        )
    return "We call a chord on the click, you hit it. Twelve calls take half a minute."


def _row(root: int, strings: list[int], recalls: dict[Call, Recall]) -> Row:
    return Row(spell(root) + "5", [_cell(recalls.get(Call(root, string))) for string in strings])


def _cell(recall: Recall | None) -> Cell:
    if recall is None:
        return Cell("", "", "never")
    time = "" if recall.recall_ms is None else f"{recall.recall_ms / 1000:.1f} s"
    weak = recall.right * 2 < recall.asked or (recall.recall_ms or 0.0) > SLOW_MS
    return Cell(time, f"{recall.right} of {recall.asked}", "weak" if weak else "known")


def calls_document(calls: list[Call]) -> list[dict[str, Any]]:
    """The calls as the page shows them."""
    return [{"root": call.root, "string": call.string, "name": call.name()} for call in calls]


def answers_document(answers: list[Recalled]) -> dict[str, Any]:
    """What became of the calls: a sentence, and each one."""
    right = sum(answer.right is True for answer in answers)
    silent = sum(answer.right is None for answer in answers)
    times = sorted(
        answer.recall_ms for answer in answers if answer.right and answer.recall_ms is not None
    )
    words = f"{right} of {counted(len(answers), 'call')} right"
    if times:
        words += f", {times[len(times) // 2] / 1000:.1f} s from call to hit"
    words += "."
    if silent == len(answers):
        words = "We heard no hits. Check that this input records your guitar, then try again."
    elif silent:
        words += (
            f" We heard nothing clear after {counted(silent, 'call')}: let each chord ring until "
            "the next call."
        )
    return {"words": words, "each": [_answer(answer) for answer in answers]}


def _answer(recalled: Recalled) -> dict[str, str]:
    answer_words = ""
    if recalled.right is False:
        answer_words = name_notes(recalled.heard) or ""
    state = {True: "right", False: "wrong", None: "not heard"}[recalled.right]
    if recalled.right is False and answer_words == recalled.call.name():
        state = "another place"
    return {
        "name": recalled.call.name(),
        "string": str(recalled.call.string),
        "state": state,
        "heard": answer_words,
        "time": "" if recalled.recall_ms is None else f"{recalled.recall_ms / 1000:.2f} s",
    }
