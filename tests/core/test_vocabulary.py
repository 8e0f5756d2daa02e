"""Slides, bends, mutes that open, strings one by one, drones, fingers, mute ramps: as text, as
edits, as sound, and what the ear makes of them.
"""

from dataclasses import replace
from decimal import Decimal

import numpy as np
import pytest

from thrumble.core.coach.verdict.articulation import FlatMuteRamp
from thrumble.core.coach.verdict.findings import find_findings
from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.ear.reading import Reading
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.errors import BadInput, RiffError
from thrumble.core.instrument import Plucking
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.player.strings import Damping, Pluck, glide, pluck
from thrumble.core.riff.editing import edits
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Legato, Ramp, Riff
from thrumble.core.riff.notation.printing import print_riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.trained import EAR

HEAD = "title: Winch\ntempo: 110\npedal: 6:0\n[A]\n"
RAMP = parse_riff(HEAD + "| { m=0.95 m m m m m m m | m m m m m m m m=0.2 } | E5@5/7 o ~ ~ ~ |\n")


def riff_of(bars: str) -> Riff:
    return parse_riff(HEAD + bars + "\n")


def test_every_sign_says_what_it_means_and_comes_back_from_print() -> None:
    riff = riff_of(
        "| E5@5/7 ob /ob1 oh op m* 6:0,4:2,3:1 o% 6:0,2:0^ o 6:0,3:2m,2:3r o |\n| E5@5/7 \\3o o |"
    )
    first, second = riff.sections[0].bars
    bend, slid, hammered, pulled, opens, rolled, drone, fingers = first.hits
    assert bend.bend == Decimal("0.5") and slid.bend == 1 and slid.slide_from == -2
    assert hammered.legato is Legato.HAMMER and hammered.stroke is None
    assert pulled.legato is Legato.PULL and opens.opens and rolled.arpeggio
    assert [note.let_ring for note in drone.notes] == [False, True]
    assert [note.plucked for note in fingers.notes] == [None, Plucking.MIDDLE, Plucking.RING]
    assert second.hits[0].slide_from == 3
    assert parse_riff(print_riff(riff)) == riff


def test_a_ramp_is_written_by_its_ends_or_hit_by_hit() -> None:
    hits = riff_of("| { m=0.9 m m m=0.3 } - - m m |").sections[0].bars[0].hits
    assert [hit.depth for hit in hits[:4]] == [Decimal(d) for d in ("0.9", "0.7", "0.5", "0.3")]
    assert [hit.ramp for hit in hits] == [Ramp.START, Ramp.ON, Ramp.ON, Ramp.ON, None, None]
    bent = riff_of("| { k m m=0.6 m m=0.2 } m m m |")
    assert [str(h.depth) for h in bent.sections[0].bars[0].hits[:5]] == [
        "0.9",
        "0.75",
        "0.6",
        "0.4",
        "0.2",
    ]
    assert parse_riff(print_riff(bent)) == bent
    over_the_bar = print_riff(RAMP)
    assert "{ m=0.95 m" in over_the_bar and "m=0.2 }" in over_the_bar
    assert over_the_bar.count("=") == 2


@pytest.mark.parametrize(
    ("bars", "said"),
    [
        ("| E5@5/7 { m o } - - |", "palm mutes only"),
        ("| { m } - - |", "two palm mutes at least"),
        ("| { m m m |", "not closed in its section"),
        ("| m m } m |", "extra"),
        ("| { m { m m } |", "open already"),
        ("| 6:0 ob o |", "on a pressed string"),
        ("| 6:2 o% o |", "two strings"),
        ("| 6:2 o* o |", "only a palm mute opens up"),
        ("| 6:2 ob9 o |", "a bend is at most"),
        ("| 6:2,6:3 o |", "each string once"),
        ("| 6:2z o |", "a slot is o M K"),
    ],
)
def test_what_cannot_be_played_is_refused_in_words(bars: str, said: str) -> None:
    with pytest.raises(RiffError, match=said):
        riff_of(bars)


def test_marks_go_round_and_what_a_new_kind_cannot_have_goes() -> None:
    riff = riff_of("| E5@5/7 o M M M M 6:0,2:0 o - - |")

    def hit(at: Riff, place: int = 0) -> object:
        return at.sections[0].bars[0].hits[place]

    place = riff.sections[0].bars[0].hits[0].at
    slid = edits.mark(riff, 0, place, "slide")
    assert hit(slid).slide_from == -2  # type: ignore[attr-defined]
    back = edits.mark(edits.mark(slid, 0, place, "slide"), 0, place, "slide")
    assert back == riff
    bent = edits.mark(edits.mark(riff, 0, place, "bend"), 0, place, "bend")
    assert hit(bent).bend == 1  # type: ignore[attr-defined]
    assert edits.put_hit(bent, 0, place, place + 1, "x").sections[0].bars[0].hits[0].bend is None
    legato = edits.mark(riff, 0, place, "legato")
    assert hit(legato).stroke is None  # type: ignore[attr-defined]
    drone = edits.mark(riff, 0, riff.sections[0].bars[0].hits[5].at, "drones")
    assert hit(drone, 5).notes[1].let_ring  # type: ignore[attr-defined]
    with pytest.raises(BadInput, match="no open string"):
        edits.mark(riff, 0, place, "drones")

    ramp = edits.ramp(riff, 0, 0)
    assert [h.ramp for h in ramp.sections[0].bars[0].hits[1:5]] == [Ramp.START, *[Ramp.ON] * 3]
    assert [h.ramp for h in edits.ramp(ramp, 0, 0).sections[0].bars[0].hits] == [None] * 6
    second = ramp.sections[0].bars[0].hits[1].at
    shorter = edits.clear(ramp, 0, second)  # the ramp begins with the next mute then
    assert [h.ramp for h in shorter.sections[0].bars[0].hits[1:4]] == [Ramp.START, *[Ramp.ON] * 2]
    opened = edits.put_hit(shorter, 0, shorter.sections[0].bars[0].hits[2].at, second, "o")
    assert [h.ramp for h in opened.sections[0].bars[0].hits] == [None] * 5
    with pytest.raises(BadInput, match="two palm mutes in a row"):
        edits.ramp(riff_of("| E5@5/7 o m o m |"), 0, 0)


def pitch_hz(sound: np.ndarray, rate_hz: int) -> float:
    """By the highest peak of the autocorrelation between 60 and 400 Hz."""
    sound = sound - sound.mean()
    power = np.abs(np.fft.rfft(sound, 4 * sound.size)) ** 2
    close = np.fft.irfft(power)[: rate_hz // 60]
    low = rate_hz // 400
    return rate_hz / float(low + np.argmax(close[low:]))


def test_a_glide_arrives_at_its_pitch_and_a_bend_stays_up() -> None:
    how = Pluck(frequency_hz=110, strength=1, pick_place=0.2, pick_width_s=0.001, scrape=0)
    hands = [(0.0, Damping(4.0, 1.0))]
    rng = np.random.default_rng(1)
    slid = glide(0, 0.2, -2, 0)
    sound = pluck(how, hands, pitch=slid, length_s=1.0, rate_hz=24000, rng=rng)
    assert pitch_hz(sound[:1200], 24000) == pytest.approx(110 * 2 ** (-2 / 12), rel=0.03)
    assert pitch_hz(sound[9600:14400], 24000) == pytest.approx(110, rel=0.01)
    bent = pluck(
        how,
        hands,
        pitch=[(0.0, 0.0), *glide(0.1, 0.3, 0, 1)],
        length_s=1.0,
        rate_hz=24000,
        rng=rng,
    )
    assert pitch_hz(bent[480:2400], 24000) == pytest.approx(110, rel=0.01)
    assert pitch_hz(bent[12000:16800], 24000) == pytest.approx(110 * 2 ** (1 / 12), rel=0.01)


def energy(riff: Riff, begin_s: float, end_s: float) -> float:
    """Of the simulated player's sound between two times from bar 1."""
    played = perform(riff, tone=Tone.CLEAN, seed=3)
    a, b = (round((played.start_s + s) * played.rate_hz) for s in (begin_s, end_s))
    return float(np.mean(np.square(played.samples[a:b])))


def test_a_mute_that_opens_and_strings_that_ring_on_sound_longer() -> None:
    muted = riff_of("| E5@5/7 M=0.3 ~ ~ ~ - - - - |")
    opens = riff_of("| E5@5/7 M=0.3* ~ ~ ~ - - - - |")
    assert energy(opens, 0.3, 1.0) > 4 * energy(muted, 0.3, 1.0)
    stopped = riff_of("| 6:0,3:0 o m m . . . . . |")
    drone = riff_of("| 6:0,3:0^ o m m . . . . . |")
    assert energy(drone, 0.7, 1.0) > 4 * energy(stopped, 0.7, 1.0)


def heard(played: Riff, written: Riff, tone: Tone, seed: int) -> Reading:
    take = perform(played, tone=tone, seed=seed)
    info = TakeInfo(start_s=take.start_s, delay_ms=0.0)
    return read_take(take.samples, take.rate_hz, expand(written), info, ear=EAR)


@pytest.mark.parametrize("tone", list(Tone))
def test_a_ramp_is_heard_as_one_and_mutes_all_alike_are_not(tone: Tone) -> None:
    hits = [replace(hit, ramp=None, depth=Decimal("0.6")) for hit in RAMP.sections[0].bars[0].hits]
    level = replace(RAMP.sections[0].bars[0], hits=tuple(hits))
    flat = replace(RAMP, sections=(replace(RAMP.sections[0], bars=(level, level)),))
    as_written = heard(RAMP, RAMP, tone, 5)
    (ramp,) = as_written.ramps
    assert ramp.kept is True and ramp.why is None and ramp.written == (0.95, 0.2)
    assert ramp.heard is not None and ramp.heard[0] - ramp.heard[1] > 0.3
    assert not any(
        c.kind == FlatMuteRamp.kind for c in find_findings(judge(as_written, expand(RAMP)))
    )
    alike = heard(flat, RAMP, tone, 5)
    assert alike.ramps[0].kept is False
    judged = judge(alike, expand(RAMP))
    (cause,) = [c for c in find_findings(judged) if c.kind == FlatMuteRamp.kind]
    assert "mute ramp in bar 1 stays at one depth: start tight" in cause.sentence(judged)


def test_what_the_ear_cannot_judge_is_left_out_with_its_reason() -> None:
    riff = riff_of(
        "| E5@5/7 /o ~ ob ~ M* ~ - - | 6:0,5:2,4:2,3:1,2:0 o% ~ ~ ~ ~ ~ - - | 6:0,3:2m o ~ m m "
        "5:7 o oh m m |"
    )
    reading = heard(riff, riff, Tone.CLEAN, 2)
    marks = [hit.not_judged for hit in reading.hits]
    assert marks[:5] == [["slide"], ["bend"], ["opens"], ["arpeggio"], ["plucked"]]
    assert marks[8] == ["legato"] and marks[5] is None
    assert reading.hits[2].heard_articulation is None and reading.hits[2].onset_s is not None
    assert reading.hits[0].chord_ok is None and reading.hits[3].strum_ms is None
    assert reading.extra_onsets == []  # the strings of the arpeggio are no hits of their own
    codes = {caution.code: caution.text for caution in reading.cautions}
    assert codes["not_judged_bend"].startswith("1 bend: we can't hear how far you bend")
    judged = judge(reading, expand(riff))
    assert not judged.hits[2].counts and judged.hits[2].in_time
