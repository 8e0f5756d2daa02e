"""Causes as sentences, for page and shell alike: what is wrong with its figure first, what to do
about it second.
"""

from collections import Counter
from collections.abc import Callable, Iterator
from functools import partial

from thrumble.core.coach.verdict.cause import Cause, CauseKind
from thrumble.core.coach.verdict.judgement import JudgedHit, Judgement
from thrumble.core.counting import counted
from thrumble.core.music.meter import spoken_count

MOSTLY = 0.75  # of the hits that are off: then they lean to one side


def say(cause: Cause, judgement: Judgement) -> str:
    """One cause in one or two plain sentences."""
    return _SENTENCES[cause.kind](cause, judgement)


def early_or_late(ms: float) -> str:
    """A lateness in words."""
    return "on time" if abs(ms) < 1.5 else f"{abs(ms):.0f} ms {'late' if ms > 0 else 'early'}"


def where(cause: Cause, judgement: Judgement) -> str:
    """The bars that hold most of a cause's hits: `in bars 2 and 5`, `most often in bar 5`, `all
    over the riff`.
    """
    by_key = judgement.by_key()
    bars = Counter(by_key[key].hit.bar for key in cause.hits if key in by_key)
    if not bars:
        return ""
    worst = sorted(bars, key=lambda bar: (-bars[bar], bar))
    if len(bars) > 4:
        return (
            f"most often in bar {worst[0]}"
            if bars[worst[0]] > 1.5 * bars[worst[-1]]
            else "all over the riff"
        )
    shown = [str(bar) if bar else "the pick-up" for bar in sorted(bars)]
    if shown == ["the pick-up"]:
        return "in the pick-up"
    return (
        f"in bar {shown[0]}"
        if len(shown) == 1
        else f"in bars {', '.join(shown[:-1])} and {shown[-1]}"
    )


def _nothing(cause: Cause, judgement: Judgement) -> str:
    return "We heard nothing in this take. Check your cable, input and level, then play it again."


def _other_riff(cause: Cause, judgement: Judgement) -> str:
    f, title = cause.figures, judgement.expanded.riff.title
    found = [
        f"{f['missed']:.0f} of {f['due']:.0f} hits aren't there" if f["missed"] else "",
        f"{counted(f['extra'], 'hit')} too many" if f["extra"] else "",
        f"{f['wrong']:.0f} of {f['checked']:.0f} chords are different ones" if f["wrong"] else "",
    ]
    return (
        f"This doesn't sound like {title}: {', '.join(one for one in found if one)}. "
        "Check that you picked the right riff and tempo, and that you're in its tuning, then play "
        "it again."
    )


def _damaged(cause: Cause, judgement: Judgement) -> str:
    return cause.words["what"]


def _missed(cause: Cause, judgement: Judgement) -> str:
    return (
        f"You missed {counted(cause.figures['missed'], 'hit')} of {cause.figures['due']:.0f}, "
        f"{where(cause, judgement)}."
    )


def _extra(cause: Cause, judgement: Judgement) -> str:
    f = cause.figures
    return (
        f"You play {counted(f['extra'], 'hit')} that the riff doesn't have; the first comes "
        f"{f['first_s']:.1f} s in."
    )


def _drift(cause: Cause, judgement: Judgement) -> str:
    rate, off = cause.figures["drift_bpm_per_min"], cause.figures["tempo_off_bpm"]
    if rate:
        return (
            f"You {'speed up' if rate > 0 else 'slow down'} by about {abs(rate):.0f} bpm per "
            "minute: lock in with the click."
        )
    return (
        f"You play about {abs(off):.1f} bpm {'faster' if off > 0 else 'slower'} than the click all "
        "the way through: lock in with it."
    )


def _swing(cause: Cause, judgement: Judgement) -> str:
    f = cause.figures
    way = "straighter" if f["swing_ratio"] < f["asked"] else "harder"
    return (
        f"Your shuffle is {way} than written: long to short is {f['swing_ratio']:.2f} "
        f"({f['low']:.2f} to {f['high']:.2f}) instead of {f['asked']:g}. "
        f"Hold the first of each pair {'longer' if way == 'straighter' else 'shorter'}."
    )


def _shifts(cause: Cause, judgement: Judgement) -> str:
    f = cause.figures
    rest = (
        f"everything else is {early_or_late(f['others_ms'])}. Look at the target fret before you "
        "move."
    )
    if "least_mm" in f:
        return (
            f"You land late after long shifts: {f['late_ms']:.0f} ms after moves of "
            f"{f['least_mm']:.0f} mm or more, {rest}"
        )
    return (
        f"You land late after quick shifts: {f['late_ms']:.0f} ms where your hand moves at "
        f"{f['least_mm_s']:.0f} mm/s or more, {rest}"
    )


def _slot(cause: Cause, judgement: Judgement) -> str:
    count = _count_of(cause.words["at"], judgement)
    return (
        f"Your hits on {count} are {early_or_late(cause.figures['late_ms'])}, bar after bar; the "
        "rest sits better."
    )


def _count_of(at: str, judgement: Judgement) -> str:
    """A place in the bar as it is counted aloud: `the & of 2`."""
    for due in judgement.expanded.hits:
        if str(due.hit.at) == at:
            bar = next(b for b in judgement.expanded.bars if b.number == due.bar)
            beat = due.hit.at // bar.meter.beat + 1
            said = spoken_count(due.hit.at, bar.meter)
            if said == str(beat):
                return f"beat {beat}"
            return f"the “{said}” of {beat}" if said else f"the place after beat {beat}"
    return at


def _spread(cause: Cause, judgement: Judgement) -> str:
    f = cause.figures
    lean = "early or late"
    if f["early_share"] > MOSTLY:
        lean = "early"
    elif f["early_share"] < 1 - MOSTLY:
        lean = "late"
    hits = (
        f"{f['off']:.0f} of {f['played']:.0f} hits are more than "
        f"{judgement.limits.tolerance_ms:.0f} ms {lean}"
    )
    return (
        f"Your timing is loose: {hits} (spread {f['spread_ms']:.0f} ms), "
        f"{where(cause, judgement)}. Take the tempo down a step."
    )


def _tiring(cause: Cause, judgement: Judgement) -> str:
    f = cause.figures
    at = f"bar {f['bar']:.0f}" + (
        f" of round {f['round']:.0f}" if judgement.reading.rounds > 1 else ""
    )
    return (
        f"Your timing gets loose from about {at} on: the spread grows from {f['before_ms']:.0f} to "
        f"{f['after_ms']:.0f} ms. "
        "Play shorter rounds and shake out your hand between them."
    )


def _rang(cause: Cause, judgement: Judgement) -> str:
    f = cause.figures
    place = where(cause, judgement)
    if f["after_open"] >= 3 and f["after_open"] > 0.7 * f["wrong"]:
        return (
            f"Palm mutes ring open {place}, {f['wrong']:.0f} of {f['written']:.0f}: your palm "
            "comes back late after the open hits."
        )
    return (
        f"Palm mutes ring open {place}, {f['wrong']:.0f} of {f['written']:.0f}: keep your palm "
        "down on the bridge."
    )


def _choked(cause: Cause, judgement: Judgement) -> str:
    f = cause.figures
    return (
        f"Open hits are choked {where(cause, judgement)}, {f['wrong']:.0f} of {f['written']:.0f}: "
        "lift your palm before them."
    )


def _dead_rings(cause: Cause, judgement: Judgement) -> str:
    f = cause.figures
    return (
        f"Dead hits ring {where(cause, judgement)}, {f['wrong']:.0f} of {f['written']:.0f}: "
        "lay your fretting fingers across the strings without pressing."
    )


def _unlike(cause: Cause, judgement: Judgement) -> str:
    f = cause.figures
    return (
        f"{counted(f['wrong'], 'hit', 'hits')} of {f['told']:.0f} don't sound as written, "
        f"{where(cause, judgement)}: "
        "some mutes ring, some open hits are choked."
    )


def _stops(cause: Cause, judgement: Judgement) -> str:
    f = cause.figures
    return (
        f"Your stops ring on {where(cause, judgement)}, {f['late']:.0f} of {f['stops']:.0f}, by "
        f"{f['late_ms']:.0f} ms: "
        "drop your hand on the strings right on the beat."
    )


def _frets(cause: Cause, judgement: Judgement) -> str:
    f = cause.figures
    return (
        f"{counted(f['wrong'], 'chord is', 'chords are')} fretted wrong, "
        f"{where(cause, judgement)}. Check the fret before you hit it."
    )


def _strays(cause: Cause, judgement: Judgement) -> str:
    f = cause.figures
    return (
        f"A stray open string is ringing in {counted(f['chords'], 'chord')}, mostly string "
        f"{f['string']:.0f}, "
        f"{where(cause, judgement)}: {_damp_it(cause.words)}."
    )


def _damp_it(words: dict[str, str]) -> str:
    """What to do with the finger so that the stray string stays quiet."""
    finger = FINGERS.get(words.get("finger", ""), "first finger")
    return {
        "tip": f"lean the tip of your {finger} on it",
        "flat": f"lay your {finger} flat over it",
        "underside": f"let your {finger} touch it from below",
        "thumb": "bring your thumb over the top onto it",
        "hand": "rest your fretting hand on it",
    }.get(words.get("by", ""), "mute it with a spare finger")


def _bias(cause: Cause, judgement: Judgement) -> str:
    ms = cause.figures["bias_ms"]
    way = "behind" if ms > 0 else "ahead of"
    return (
        f"You play {abs(ms):.0f} ms {way} the click throughout: "
        f"{'push a little' if ms > 0 else 'lay back a little'}."
    )


def _ramp(cause: Cause, judgement: Judgement) -> str:
    f = cause.figures
    opens = f["written_to"] < f["written_from"]
    which = f"Your mute ramp in bar {f['bar']:.0f}"
    if f["wrong"] > 1:
        which = f"{f['wrong']:.0f} of {f['told']:.0f} mute ramps, first in bar {f['bar']:.0f},"
    verb = "stays" if f["wrong"] == 1 else "stay"
    remedy = "start tight and roll your palm back bit by bit"
    if not opens:
        remedy = "start light and roll your palm forward bit by bit"
    return f"{which} {verb} at one depth: {remedy}."


def _level(cause: Cause, judgement: Judgement) -> str:
    kind = {"open": "open hits", "palm": "palm mutes", "dead": "dead hits"}[
        cause.words["articulation"]
    ]
    return (
        f"Your level is uneven: {kind} vary by {cause.figures['spread_db']:.1f} dB. Hit them all "
        "with the same weight."
    )


def _clean(cause: Cause, judgement: Judgement) -> str:
    f = cause.figures
    text = (
        f"Clean: {f['in_time']:.0f} of {f['played']:.0f} hits are in time (within "
        f"{f['tolerance_ms']:.0f} ms), "
        f"and {f['as_written']:.0f} of {f['told']:.0f} sound as written."
    )
    return " ".join([text, *errors_listed(cause, judgement)])


def _few(cause: Cause, judgement: Judgement) -> str:
    f = cause.figures
    if not f:  # beside other causes: only what they don't name
        return " ".join(["Also:", *errors_listed(cause, judgement)])
    text = (
        f"In time: {f['in_time']:.0f} of {f['played']:.0f} hits (within "
        f"{f['tolerance_ms']:.0f} ms)."
    )
    if not judgement.is_whole:
        text = f"You stopped after {f['reached']:.0f} of {f['written']:.0f} hits. {text}"
    return " ".join([text, *errors_listed(cause, judgement)])


def errors_listed(cause: Cause, judgement: Judgement) -> list[str]:
    """What went wrong with a cause's hits, kind by kind, with the bars: `5 palm mutes ring: bars 2,
    5 and 12.`; the extra hits too, unless the cause names some hits of others only.
    """
    by_key = judgement.by_key()
    hits = [by_key[key] for key in cause.hits if key in by_key]
    out = []
    for one, more, bars in _errors(hits):
        out.append(f"{counted(len(bars), one, more)}: {_bars(bars)}.")
    extra = len(judgement.reading.extra_onsets)
    if extra and cause.figures:
        out.append(f"You played {counted(extra, 'extra hit')}.")
    return out


def _errors(hits: list[JudgedHit]) -> Iterator[tuple[str, str, list[int]]]:
    """Each kind of error among hits, in words for one and for several, and the bars they are in."""
    tests: list[tuple[str, str, Callable[[JudgedHit], bool]]] = [
        ("hit is missing", "hits are missing", lambda hit: hit.missed),
        ("hit is early or late", "hits are early or late", _untimely),
        *(
            (f"{name} {verb}s", f"{name}s {verb}", partial(_sounds, written=written, heard=heard))
            for written, heard, name, verb in (
                ("palm", ("open",), "palm mute", "ring"),
                ("dead", ("open", "palm"), "dead hit", "ring"),
            )
        ),
        ("open hit is choked", "open hits are choked", partial(_sounds, written="open",
                                                              heard=("palm", "dead"))),
        ("palm mute has no pitch", "palm mutes have no pitch", partial(_sounds, written="palm",
                                                                       heard=("dead",))),
        ("stop rings on", "stops ring on", lambda hit: hit.stop_late),
    ]  # fmt: skip
    for one, more, test in tests:
        found = [hit.hit.bar for hit in hits if test(hit)]
        if found:
            yield one, more, found


def _untimely(hit: JudgedHit) -> bool:
    return hit.played and not hit.in_time


def _sounds(hit: JudgedHit, *, written: str, heard: tuple[str, ...]) -> bool:
    kind = hit.articulation
    wrong = hit.sounds_wrong and kind is not None and kind.value in heard
    return wrong and hit.hit.expected_articulation.value == written


def _bars(bars: list[int]) -> str:
    """`bar 2`, `bars 2, 5 and 12`, `bars 2, 5, 7 and 9 more`."""
    shown = [str(bar) if bar else "the pick-up" for bar in sorted(set(bars))]
    if shown == ["the pick-up"]:
        return "the pick-up"
    if len(shown) == 1:
        return f"bar {shown[0]}"
    if len(shown) > 6:
        return f"bars {', '.join(shown[:5])} and {len(shown) - 5} more"
    return f"bars {', '.join(shown[:-1])} and {shown[-1]}"


FINGERS = {
    "1": "first finger",
    "2": "second finger",
    "3": "third finger",
    "4": "little finger",
}
_SENTENCES = {
    CauseKind.DAMAGED: _damaged,
    CauseKind.OTHER_RIFF: _other_riff,
    CauseKind.MISSED: _missed,
    CauseKind.EXTRA: _extra,
    CauseKind.DRIFT: _drift,
    CauseKind.SWING: _swing,
    CauseKind.SHIFTS: _shifts,
    CauseKind.SLOT: _slot,
    CauseKind.SPREAD: _spread,
    CauseKind.TIRING: _tiring,
    CauseKind.RANG: _rang,
    CauseKind.CHOKED: _choked,
    CauseKind.DEAD_RINGS: _dead_rings,
    CauseKind.STOPS: _stops,
    CauseKind.FRETS: _frets,
    CauseKind.STRAYS: _strays,
    CauseKind.BIAS: _bias,
    CauseKind.RAMP: _ramp,
    CauseKind.LEVEL: _level,
    CauseKind.UNLIKE: _unlike,
    CauseKind.CLEAN: _clean,
    CauseKind.FEW: _few,
    CauseKind.NOTHING: _nothing,
}
