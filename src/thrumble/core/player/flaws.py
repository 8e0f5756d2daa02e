"""The simulated player's flaws: one table of names, defaults, ranges and words; everything else
derives from it.
"""

from dataclasses import dataclass, fields

from thrumble.core.errors import BadFlaw


@dataclass(frozen=True, slots=True)
class Flaw:
    """One knob: allowed range and what it means."""

    low: float
    high: float
    words: str


TABLE: dict[str, Flaw] = {
    "timing": Flaw(0, 80, "standard deviation of the hits' times, ms"),
    "bias": Flaw(-200, 200, "constant lateness (+) or earliness (-), ms"),
    "shift": Flaw(0, 200, "lateness of hits after a shift of five frets or more, ms"),
    "drift": Flaw(-20, 20, "tempo change along the take, bpm per minute"),
    "missed": Flaw(0, 1, "share of hits left out"),
    "extra": Flaw(0, 1, "chance of a hit of its own after a hit"),
    "extra_level": Flaw(-120, 12, "level of such a hit against the one before it, dB"),
    "wrong": Flaw(0, 1, "share of hits with another articulation than written"),
    "ringing": Flaw(0, 1, "share of palm mutes that ring open"),
    "choked": Flaw(0, 1, "share of open hits that come out palm-muted"),
    "stop": Flaw(-40, 400, "mean lateness of the stops, ms"),
    "stop_spread": Flaw(0, 200, "standard deviation of the stops' lateness, ms"),
    "stray": Flaw(0, 1, "share of hits with a stray open string"),
    "fret": Flaw(0, 1, "share of hits with the whole hand one or two frets off"),
    "level": Flaw(0, 12, "standard deviation of the hits' level, dB"),
    "tiring": Flaw(0, 60, "growth of the timing spread from start to end, ms"),
    "swing": Flaw(0, 5, "swing ratio played instead of the one written; 0 plays as written"),
    "touch": Flaw(0, 1, "share of stops at which the hand is heard on the strings"),
    "squeak": Flaw(0, 1, "share of moves along the neck with a squeak of the fingers"),
    "begin": Flaw(0, 10000, "hits left out at the start: the player comes in late"),
    "end": Flaw(0, 10000, "hits left out at the end: the player gives up"),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Flaws:
    """A value for every flaw of the table; the defaults are a decent player."""

    timing: float = 6.0
    bias: float = 0.0
    shift: float = 0.0
    drift: float = 0.0
    missed: float = 0.0
    extra: float = 0.0
    extra_level: float = -3.0
    wrong: float = 0.0
    ringing: float = 0.0
    choked: float = 0.0
    stop: float = 0.0
    stop_spread: float = 8.0
    stray: float = 0.0
    fret: float = 0.0
    level: float = 1.0
    tiring: float = 0.0
    swing: float = 0.0
    touch: float = 0.0
    squeak: float = 0.0
    begin: float = 0.0
    end: float = 0.0


def read_flaws(settings: list[str]) -> Flaws:
    """Flaws from `name=value` words. Raises BadFlaw naming what is allowed."""
    values: dict[str, float] = {}
    for setting in settings:
        name, equals, text = setting.partition("=")
        flaw = TABLE.get(name)
        if flaw is None or not equals:
            raise BadFlaw(
                f"{setting!r} is no flaw; write NAME=VALUE with NAME one of {', '.join(TABLE)}"
            )
        try:
            value = float(text)
        except ValueError:
            value = float("nan")
        if not flaw.low <= value <= flaw.high:
            raise BadFlaw(
                f"{name} is {flaw.words}: a number from {flaw.low:g} to {flaw.high:g}, found "
                f"{text!r}"
            )
        values[name] = value
    return Flaws(**values)


assert {f.name for f in fields(Flaws)} == set(TABLE)
