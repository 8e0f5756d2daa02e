"""The neck in a guitarist's words."""

from thrumble.core.neck.hand import Hand, School
from thrumble.core.neck.moves import Move
from thrumble.core.neck.weights import Wish

WISH_WORDS = {
    Wish.LOW: "stay low",
    Wish.ONE_PLACE: "stay in one place",
    Wish.SPARE_LITTLE: "spare your little finger",
    Wish.OPEN_STRINGS: "keep the open strings",
    Wish.SAME_FINGERS: "one fingering throughout",
    Wish.SMALL_SPREAD: "small stretches",
}


def how_words(move: Move) -> str:
    """How to make a move: what travels, what leads, what stays."""
    parts = []
    thumb = "thumb stays" if move.pivot else "thumb follows along the back of the neck"
    if move.slides:
        parts.append(f"slide the whole shape, {thumb}")
    elif move.guide:
        parts.append(f"finger {move.guide} leads along its string, {thumb}")
    elif move.distance_mm:
        parts.append("pivot, thumb stays" if move.pivot else "lift, travel, land")
    elif move.across_mm:
        parts.append("change strings")
    if move.stays:
        fingers = " and ".join(map(str, move.stays))
        parts.append(f"keep finger{'s' if len(move.stays) > 1 else ''} {fingers} down")
    return ", ".join(parts) or "swap fingers in place"


def hand_words(hand: Hand) -> str:
    """A hand in a line."""
    fingers = SCHOOL_WORDS[hand.school]
    named = "any fingers" if hand.school is None else f"fingers {fingers}"
    return f"{named} · your reach {hand.reach_mm:.0f} mm"


SCHOOL_WORDS: dict[School | None, str] = {
    None: "any",
    School.ONE_THREE: "1 and 3",
    School.ONE_FOUR: "1 and 4",
    School.ONE_THREE_FOUR: "1, 3 and 4",
    School.BARRE: "barre with 1 or 3",
}
