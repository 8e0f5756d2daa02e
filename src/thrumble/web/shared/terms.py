"""What every figure on the screens means, in two sentences, and where the guide says more."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Term:
    """`words`: two sentences; `page`: of the guide."""

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
}
