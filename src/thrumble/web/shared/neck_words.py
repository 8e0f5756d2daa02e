"""What every screen of the neck says alike: what keeps a string quiet, how a spread feels."""

from thrumble.core.neck.hand import Damping
from thrumble.core.neck.muting_map import Quiet, Silencer
from thrumble.core.neck.picking import Picking

FINGER_WORDS = {
    1: "first finger",
    2: "second finger",
    3: "third finger",
    4: "little finger",
    5: "thumb",
}
DAMPING_WORDS = {
    Damping.SWEEP: "damp the rest, sweep through",
    Damping.AIM: "aim at the written strings",
}
PICKING_WORDS = {
    Picking.WRITTEN: "as written",
    Picking.DOWN: "down-strokes only",
    Picking.ALTERNATE: "strictly alternate",
    Picking.ACCENTS_UP: "down, accents up",
    Picking.FINGERS: "pick and fingers",
}


def quiet_words(quiet: Quiet) -> str:
    """How a string is kept quiet, in words."""
    finger = FINGER_WORDS.get(quiet.finger or 0, "")
    return {
        None: "nothing lies on it",
        Silencer.TIP: f"tip of your {finger}",
        Silencer.FLAT: f"{finger} laid flat",
        Silencer.UNDERSIDE: f"underside of your {finger}",
        Silencer.THUMB: "thumb over the top",
        Silencer.HAND: "your fretting hand, resting",
        Silencer.PALM: "edge of your picking hand",
    }[quiet.by]


def avoid_words(avoid: tuple[int, ...], damping: Damping) -> str:
    """The strings that the pick has to miss, in words."""
    if not avoid:
        return "Everything else is damped: sweep through all strings."
    names = " and ".join(map(str, avoid)) if len(avoid) < 3 else ", ".join(map(str, avoid))
    strings = "string" if len(avoid) == 1 else "strings"
    if damping is Damping.AIM:
        return f"Your pick stays off {strings} {names}."
    return (
        f"Don't sweep into {strings} {names}: nothing damps {'it' if len(avoid) == 1 else 'them'}."
    )


def comfort_words(comfort: float, fingers: int) -> str:
    """How a spread feels."""
    if fingers < 2 or comfort >= 0.45:
        return "easy"
    return "fine" if comfort >= 0.2 else "a stretch"
