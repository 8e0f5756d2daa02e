"""What every figure on the screens means, in two sentences, and where the guide says more."""

import re
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Term:
    """`words`: two sentences; `page`: of the guide."""

    words: str
    page: str


@dataclass(frozen=True, slots=True)
class Entry:
    """A term as its popover shows it. `slug`: part of its id."""

    title: str
    slug: str
    words: str
    page: str


TERMS = {
    "hits heard": Term(
        "How many of the written hits you played. One that isn't there counts as missed.", "result"
    ),
    "extra hits": Term(
        "Hits that the riff doesn't have. Each counts against a clean take.", "result"
    ),
    "lead or lag": Term(
        "How far you're ahead of (-) or behind (+) the click throughout. "
        "It takes a measured latency to tell.",
        "latency",
    ),
    "spread": Term(
        "How far your hits scatter around your own average, in milliseconds. "
        "Under 10 is tight, over 20 sounds loose.",
        "result",
    ),
    "sound as written": Term(
        "Hits that ring, are muted or are dead as the riff says. The strip shows the others.",
        "result",
    ),
    "unsure": Term(
        "Hits whose sound we can't tell for sure. They count neither for nor against you.",
        "sound-check",
    ),
    "longest clean run": Term(
        "The most strokes in a row without one off. It shows how long you stay in control.", "log"
    ),
    "tempo drift": Term(
        "How much your own tempo rises (+) or falls (-) per minute. 0 stays with the click.",
        "remedies",
    ),
    "level spread": Term(
        "How much hits of one kind vary in loudness. Under 2 dB is even.", "remedies"
    ),
    "accents stand out": Term(
        "How much louder your accents are than the hits around them. From 3 dB they're heard.",
        "remedies",
    ),
    "up-strokes": Term(
        "How loud your up-strokes are against your down-strokes. Near 0 dB both are alike.",
        "remedies",
    ),
    "silence in rests": Term(
        "How quiet it is where nothing should sound. Lower is cleaner.", "muting"
    ),
    "swing": Term(
        "Long to short within a pair: 1 is straight, 2 a triplet shuffle, 3 dotted. "
        "The range holds 95 times of 100.",
        "riffs",
    ),
    "swing by bar": Term(
        "Where your swing was straightest and where hardest. Far apart means it wanders.", "riffs"
    ),
    "strum": Term(
        "The time your pick takes through a chord. Short sounds tight, long sounds dragged.",
        "muting",
    ),
    "clean speed": Term(
        "The tempo you play clean 4 times out of 5. The range holds 9 times of 10.", "log"
    ),
    "decay": Term(
        "How long the hit takes to fade by 20 dB. An open string takes seconds, a mute a moment.",
        "muting",
    ),
    "clear pitch": Term(
        "How clearly the hit has a pitch, from 0 (noise) to 1. A palm too far forward chokes it.",
        "muting",
    ),
    "level": Term("How loud the hit is. Even hits lie close together.", "muting"),
    "clean hits": Term(
        "Hits that were played, in time and as written. A take is clean if 95 of 100 are.", "result"
    ),
    "change on the way": Term(
        "Something changed for good in the middle of the take. The bar says from where on.",
        "result",
    ),
    "where the hits fell": Term(
        "Each dot is a hit: left of the middle early, right late. The shaded part is in time.",
        "result",
    ),
    "bar clock": Term(
        "Your hits on the dial of one bar, the one at the top. Off the marks is early or late.",
        "result",
    ),
    "next tempo": Term(
        "The tempo to play next. It rises after clean passes and falls after others.", "plan"
    ),
    "today's plan": Term(
        "What's worth most in your minutes today, with the reason for each block. "
        "Your hands set the limit.",
        "plan",
    ),
    "strokes in seven days": Term(
        "How often your picking hand struck in a week. A sudden rise is what hurts hands.", "log"
    ),
    "hit by hit": Term(
        "Every place of the riff over all your takes. A tall bar or a number is a habit.", "log"
    ),
    "moves": Term(
        "How late you land against how far your hand went. A rising line says: shifts cost you.",
        "log",
    ),
    "stamina": Term(
        "How long you play without tiring at this tempo. Work a little less than that, then rest.",
        "log",
    ),
    "sessions": Term(
        "Takes less than half an hour apart are one session. Only the playing counts.",
        "log",
    ),
    "weeks": Term("Each square is a day. The fuller it is, the more you played.", "log"),
    "what went wrong": Term(
        "How many takes of a week had which finding. The top line is worth practising first.",
        "log",
    ),
    "what helped": Term(
        "What changed from before a drill to after it. A range on one side of zero is no chance.",
        "log",
    ),
    "shift limit": Term(
        "The fastest tempo at which your hand makes every shift. The hardest one sets it.", "neck"
    ),
    "muting map": Term(
        "Which finger keeps which string quiet. A string that nothing mutes rings too.", "neck"
    ),
    "stretch": Term(
        "How far your fingers spread for this shape. It shrinks toward the body.", "neck"
    ),
    "hand span": Term(
        "How far finger 1 and finger 4 reach apart. Fingerings beyond it aren't offered.", "neck"
    ),
    "start tempo": Term(
        "Where this drill starts for you. It's what the riff goes by now, or what the drill needs.",
        "drills",
    ),
    "latency": Term(
        "How late your sound card hears you. Measured once, early and late count from the click.",
        "latency",
    ),
    "time to silence": Term(
        "From letting go until the strings have fallen by 20 dB. Up to 35 ms is clean, 90 drags.",
        "muting",
    ),
    "still ringing": Term("How loud the strings are after you let go. Lower is cleaner.", "muting"),
    "release": Term(
        "How late you let go after the beat. A stop that's late sounds like a wrong rhythm.",
        "muting",
    ),
    "noise floor": Term(
        "How loud it is when you don't play. Lower leaves more room for quiet mutes.", "first-take"
    ),
    "hum": Term(
        "A steady tone from the mains. Turn away from power supplies to lower it.", "trouble"
    ),
    "hardest chord": Term(
        "The loudest point of your hard chords. Between -12 and -6 dB is right.", "first-take"
    ),
    "headroom": Term(
        "How much louder it could get before it clips. 6 to 12 dB is right.", "first-take"
    ),
    "above the noise": Term(
        "How far your chords stand above the noise. The farther, the better we hear quiet mutes.",
        "first-take",
    ),
    "turn the input": Term(
        "What to do at the sound card's input knob. Check again after you turned it.", "first-take"
    ),
    "how sure": Term(
        "How often the analysis named hits right, counted on takes whose truth is known. "
        "Your own sound check says it for your guitar.",
        "sound-check",
    ),
    "late after moves": Term(
        "How much later you land after a shift than without one. Near 0 your shifts cost nothing.",
        "comparing",
    ),
    "hits not as written": Term(
        "Of 100 hits, those that ring, are muted or are dead against the riff. Lower is better.",
        "comparing",
    ),
    "palm mutes ringing": Term(
        "Of 100 palm mutes, those that ring open. Lower is better.", "comparing"
    ),
    "open hits choked": Term(
        "Of 100 open hits, those that sound muted. Lower is better.", "comparing"
    ),
    "mute depth": Term(
        "How tight your palm mutes are, from 0 (ringing) to 1 (dead). Choose what the riff wants.",
        "comparing",
    ),
    "missed hits": Term("Of 100 hits, those that weren't played. Lower is better.", "comparing"),
    "stops ringing on": Term(
        "How long notes ring past their written end. Near 0 your stops are short.", "comparing"
    ),
}

SAME = {
    "timing spread": "spread",
    "early or late": "lead or lag",
    "uneven level": "level spread",
    "swing ratio": "swing",
}
_CHANGE = re.compile(r"(tempo|spread|level) from bar .* on")
_STRUM = re.compile(r"strum.*")


def entry_of(name: str) -> Entry | None:
    """What a label on a screen means; None if it needs no explanation."""
    key = SAME.get(name, name)
    if _CHANGE.fullmatch(key):
        key = "change on the way"
    elif key not in TERMS and _STRUM.fullmatch(key):
        key = "strum"
    term = TERMS.get(key)
    if term is None:
        return None
    slug = re.sub(r"\W+", "-", key)
    return Entry(key[:1].upper() + key[1:], slug, term.words, term.page)
