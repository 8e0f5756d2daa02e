"""MusicXML out and in: our own files come back as they are played, a library reads them and its
files are read, other programs' habits are understood, hostile files are refused.
"""

from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.strategies import riffs
from tests.formats.files import DEMO, played, zipped
from thrumble.core.errors import RiffError
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation, Legato, Riff, Stroke
from thrumble.core.riff.notation.text import parse_riff
from thrumble.formats.musicxml.reading import ScoreRiff, read_musicxml
from thrumble.formats.musicxml.writing import musicxml_lost, write_musicxml


@pytest.mark.parametrize("name", list(DEMO))
def test_the_demo_riffs_come_back_whole(name: str) -> None:
    back = read_musicxml(write_musicxml(DEMO[name]))
    assert back.left_out == ()
    assert played(back.riff) == played(DEMO[name])
    if not musicxml_lost(DEMO[name]):
        assert back.riff == DEMO[name]


@settings(max_examples=45, deadline=None)
@given(riffs())
def test_any_riff_comes_back_as_it_is_played(riff: Riff) -> None:
    try:
        asked = played(riff)
    except RiffError:
        return  # nothing in its order of play
    back = read_musicxml(write_musicxml(riff))
    assert back.left_out == () and played(back.riff) == asked
    assert (back.riff.title, back.riff.tempo_bpm) == (riff.title, riff.tempo_bpm)
    assert (back.riff.tuning, back.riff.capo) == (riff.tuning, riff.capo)
    assert back.riff.pedal == riff.pedal
    assert [bar.start_s for bar in expand(back.riff).bars] == pytest.approx(
        [bar.start_s for bar in expand(riff).bars]
    )


def test_repeats_and_endings_are_written_as_such() -> None:
    riff = parse_riff(
        "title: Weir\ntempo: 100\nplay: A A A B B\n[A]\n| E5@5/7 o o |\n1| o ~ |\n2| - - |\n"
        "[B]\n| G5 o o o o |\n"
    )
    text = write_musicxml(riff).decode()
    assert text.count('direction="forward"') == 2 and text.count('direction="backward"') == 3
    assert text.count("<measure ") == 4 and 'number="2,3" type="start"' in text
    assert "endings: they come back" in musicxml_lost(riff)[0]
    back = read_musicxml(text.encode()).riff
    assert played(back) == played(riff) and back.order == ("A", "A 2", "A 2", "B", "B")


def test_a_library_reads_what_we_write(tmp_path: Path) -> None:
    music21 = pytest.importorskip("music21")
    for name, riff in DEMO.items():
        file = tmp_path / f"{name}.musicxml"
        file.write_bytes(write_musicxml(riff))
        score = music21.converter.parse(file)
        part = score.parts[0]
        struck = sum(
            n.tie is None or n.tie.type == "start"
            for n in part.flatten().notes
            if not isinstance(n, music21.harmony.Harmony)
        )
        expanded = part.expandRepeats() if list(part.flatten()["RepeatMark"]) else part
        assert struck <= len(expand(riff).hits)
        heard = [
            n
            for n in expanded.flatten().notes
            if not isinstance(n, music21.harmony.Harmony)
            and (n.tie is None or n.tie.type == "start")
        ]
        assert len(heard) == len(expand(riff).hits), name
        instrument = riff.instrument
        for note, due in zip(heard, expand(riff).hits, strict=True):
            pitches = sorted(p.midi for p in note.pitches)
            asked = sorted(instrument.open_midi(n.string) + (n.fret or 0) for n in due.hit.notes)
            assert pitches == asked


def test_what_a_library_writes_is_read(tmp_path: Path) -> None:
    music21 = pytest.importorskip("music21")
    stream = music21.stream.Stream()
    stream.append(music21.tempo.MetronomeMark(number=96))
    stream.append(music21.meter.TimeSignature("3/4"))
    for names, length in ((("E2", "B2"), 1), (("E2",), 0.5), (("G2", "D3"), 1.5), (("A2",), 3)):
        stream.append(music21.chord.Chord(list(names), quarterLength=length))
    file = stream.write("musicxml", tmp_path / "weir.musicxml")
    back = read_musicxml(Path(file).read_bytes())
    bars = back.riff.sections[0].bars
    assert [str(bar.meter) for bar in bars] == ["3/4", "3/4"] and back.riff.tempo_bpm == 96
    assert [(hit.at, hit.length) for hit in bars[0].hits] == [
        (Fraction(0), Fraction(1, 4)),
        (Fraction(1, 4), Fraction(1, 8)),
        (Fraction(3, 8), Fraction(3, 8)),
    ]
    midis = [[back.riff.instrument.midi(n) for n in hit.notes] for hit in bars[0].hits]
    assert midis == [[40, 47], [40], [43, 50]]
    packed = stream.write("mxl", tmp_path / "weir.mxl")
    assert read_musicxml(Path(packed).read_bytes()).riff.sections == back.riff.sections


NOTE = "<note>{}<pitch><step>{}</step><octave>{}</octave></pitch><duration>{}</duration>{}</note>"


def note(step: str, octave: int, ticks: int = 1, *, chord: bool = False, more: str = "") -> str:
    return NOTE.format("<chord/>" if chord else "", step, octave, ticks, more)


def on(string: int, fret: int, more: str = "") -> str:
    """Notations of a note on a string."""
    return (
        f"<notations><technical><string>{string}</string><fret>{fret}</fret>{more}"
        "</technical></notations>"
    )


def score(*measures: str, head: str = "", parts: str = "") -> bytes:
    first = (
        "<attributes><divisions>2</divisions><time><beats>4</beats><beat-type>4</beat-type></time>"
        f"{head}</attributes>"
    )
    body = "".join(
        f'<measure number="{k}"{"" if m[:1] == "<" else " implicit=" + chr(34) + "yes" + chr(34)}>'
        f"{first if k == 1 else ''}{m.lstrip('!')}</measure>"
        for k, m in enumerate(measures, 1)
    )
    return (
        '<?xml version="1.0"?><!DOCTYPE score-partwise PUBLIC "-//X//DTD" "http://x.test/p.dtd">'
        '<score-partwise version="3.1"><part-list><score-part id="P1"><part-name>Lead guitar'
        f'</part-name></score-part></part-list><part id="P1">{body}</part>{parts}</score-partwise>'
    ).encode()


def words(text: str, more: str = "") -> str:
    return f"<direction><direction-type><words>{text}</words></direction-type>{more}</direction>"


def dashes(kind: str) -> str:
    return f'<direction-type><dashes type="{kind}" number="1"/></direction-type>'


def test_palm_mute_spans_end_where_their_stop_stands() -> None:
    stop = f"<direction>{dashes('stop')}</direction>"
    data = score(
        note("E", 2)
        + words("P.M.", dashes("start"))
        + note("E", 2)
        + note("E", 2)
        + stop
        + note("E", 2)
        + words("palm mute")
        + note("E", 2)
        + note("E", 2)
        + note("E", 2, more="<notehead>x</notehead>")
        + note("E", 2)
    )
    kinds = [hit.articulation.value for hit in read_musicxml(data).riff.sections[0].bars[0].hits]
    assert kinds == ["open", "palm", "palm", "open", "palm", "open", "dead", "open"]


def test_techniques_strings_and_ties_of_other_programs() -> None:
    slide = '<slide type="{}" number="1"/>'
    first = on(5, 3).replace("</notations>", slide.format("start") + "</notations>")
    second = on(5, 7).replace("</notations>", slide.format("stop") + "</notations>")
    data = score(
        note("C", 3, more=first)
        + note("E", 3, more=second)
        + note("G", 3, more=on(4, 5, '<hammer-on type="stop">H</hammer-on>'))
        + note("A", 2, more=on(6, 5, "<up-bow/>"))
        + note("C", 3, 2, more="<tie type='start'/>" + on(5, 3))
        + note("C", 3, 2, more="<tie type='stop'/><tie type='start'/>" + on(5, 3)),
        note("C", 3, 3, more="<tie type='stop'/>" + on(5, 3))
        + "<forward><duration>5</duration></forward>",
    )
    riff = read_musicxml(data).riff
    slid = riff.sections[0].bars[0].hits
    assert [hit.slide_from for hit in slid] == [None, -4, None, None, None]
    assert slid[2].legato is Legato.HAMMER and slid[3].stroke is Stroke.UP
    assert slid[4].length == Fraction(7, 8) and riff.sections[0].bars[1].hits == ()


def test_voices_staves_grace_notes_and_a_pick_up() -> None:
    data = score(
        "!" + note("E", 2),
        note("E", 2, 4) + note("G", 2, 4) + "<backup><duration>8</duration></backup>"
        + note("B", 2, 8, more="<voice>2</voice>"),
        "<note><grace/><pitch><step>F</step><octave>2</octave></pitch></note>" + note("E", 2, 8),
    )  # fmt: skip
    found = read_musicxml(data)
    assert found.riff.pickup is not None and found.riff.pickup.length == Fraction(1, 8)
    first, second = found.riff.sections[0].bars
    assert [len(hit.notes) for hit in first.hits] == [2, 1]
    assert len(second.hits) == 1 and found.left_out == (
        "1 grace note",
        "1 note cut short where the next hit comes",
    )


def test_tuning_capo_and_transposition() -> None:
    tuned = "".join(
        f'<staff-tuning line="{k}"><tuning-step>{n[0]}</tuning-step>'
        f"<tuning-octave>{n[1]}</tuning-octave></staff-tuning>"
        for k, n in enumerate(("D2", "A2", "D3", "G3", "B3", "E4"), 1)
    )
    details = f"<staff-details><staff-lines>6</staff-lines>{tuned}<capo>2</capo></staff-details>"
    transpose = "<transpose><chromatic>0</chromatic><octave-change>-1</octave-change></transpose>"
    clef = "<clef><sign>TAB</sign></clef>"
    riff = read_musicxml(score(note("E", 3, 8), head=clef + details + transpose)).riff
    assert riff.tuning[0] == "D2" and riff.capo == 2
    hit = riff.sections[0].bars[0].hits[0]
    assert riff.instrument.midi(hit.notes[0]) == 40  # E3 as written sounds an octave lower


def test_the_guitars_part_is_taken_and_the_others_are_named() -> None:
    other = '<part id="P2"><measure number="1">' + note("C", 5) * 3 + "</measure></part>"
    found = read_musicxml(score(note("E", 2, 8), parts=other))
    assert [part.name for part in found.parts] == ["Lead guitar", "part 2"]
    assert found.left_out == ("other parts: part 2",)
    assert read_musicxml(score(note("E", 2, 8), parts=other), part=1).parts[0].name == "part 2"
    with pytest.raises(RiffError, match="parts 0 to 1"):
        read_musicxml(score(note("E", 2, 8), parts=other), part=7)


ENTITIES = (
    b'<?xml version="1.0"?><!DOCTYPE a [<!ENTITY a "haha"><!ENTITY b "&a;&a;&a;&a;&a;">]>'
    b"<score-partwise>&b;</score-partwise>"
)
EXTERNAL = (
    b'<?xml version="1.0"?><!DOCTYPE a [<!ENTITY x SYSTEM "file:///etc/passwd">]>'
    b"<score-partwise>&x;</score-partwise>"
)


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (ENTITIES, "entities"),
        (EXTERNAL, "entities"),
        (zipped(ENTITIES), "entities"),
        (zipped(b" " * 60_000_000), "at most 20 MB"),
        (zipped(b"<score-partwise/>", "../../etc/passwd"), "damaged"),
        (b"PK\x03\x04nothing", "damaged"),
        (b"<score-timewise/>", "partwise"),
        (b"<html/>", "begins with score-partwise"),
        (b"<score-partwise><part>", "we can read"),
        (b"<score-partwise/>", "no notes"),
        (score(note("E", 2, 9)), "measure 1: found .*its notes last longer"),
        (score("<note><rest/><duration>8</duration></note>"), "no notes"),
        (
            score('<barline><repeat direction="backward" times="64"/></barline>' + note("E", 2, 8))
            .replace(b"</part>", (b'<measure number="2">' + note("E", 2, 8).encode() + b"</measure>") * 1990
                     + b'<measure number="9"><barline><repeat direction="backward" times="3"/></barline></measure></part>'),
            "more than 2000 measures",
        ),
    ],
)  # fmt: skip
def test_hostile_and_broken_scores_are_refused_in_words(data: bytes, said: str) -> None:
    with pytest.raises(RiffError, match=said):
        read_musicxml(data)


def found_in(data: bytes) -> ScoreRiff | None:
    try:
        return read_musicxml(data)
    except RiffError:
        return None


@settings(max_examples=35, deadline=None)
@given(riffs().map(write_musicxml), st.integers(0, 10**6))
def test_a_damaged_score_gives_a_riff_or_one_error(data: bytes, seed: int) -> None:
    spot = seed % len(data)
    for damaged in (data[:spot], data[:spot] + data[spot + 1 :], data[:spot] + b"9" + data[spot:]):
        back = found_in(damaged)
        assert back is None or any(h.articulation in Articulation for _, h in played(back.riff))


def test_notation_without_strings_is_laid_on_the_players_own() -> None:
    own = ("D2", "A2", "D3", "G3", "B3", "E4")
    riff = read_musicxml(score(note("D", 2, 8)), tuning=own).riff
    assert riff.tuning == own and riff.sections[0].bars[0].hits[0].notes[0].fret == 0


def test_wedges_are_closed_and_hammer_ons_have_two_ends() -> None:
    riff = parse_riff(
        "title: Winch\ntempo: 100\npedal: 6:0\n[A]\n| { m=0.9 m m=0.3 } m | { m m m m=0.2 } |\n"
        "[B]\n| 5:3 o 5:5 oh 5:3 op o |\n[C]\n| { m m m m=0.1 } |\n"
    )
    text = write_musicxml(riff).decode()
    assert text.count('wedge type="crescendo"') == text.count('wedge type="stop"') == 3
    assert text.index('wedge type="stop"') < text.index('wedge type="crescendo"', 3000)
    for sign in ("hammer-on", "pull-off"):
        assert [text.count(f'{sign} type="{end}"') for end in ("start", "stop")] == [1, 1]
    assert played(read_musicxml(text.encode()).riff) == played(riff)


def test_any_rehearsal_mark_gives_a_section() -> None:
    mark = "<direction><direction-type><rehearsal>{}</rehearsal></direction-type></direction>"
    for words_, name in (("Roll over it", "Roll on it"), ("pickup", "A"), ("♯♯", "A")):
        riff = read_musicxml(score(mark.format(words_) + note("E", 2, 8))).riff
        assert riff.sections[0].name == name


def stray(step: str, octave: int, string: int, fret: str | None, more: str = "") -> str:
    """A note on a string whose fret is left out, off the neck, or another than its pitch's."""
    at = "" if fret is None else f"<fret>{fret}</fret>"
    technical = f"<technical><string>{string}</string>{at}</technical>"
    return note(step, octave, 2, more=f"<notations>{technical}</notations>{more}")


def test_a_string_without_a_fret_takes_the_fret_from_the_pitch() -> None:
    """32 of 33 pitches were wrong when it became the open string."""
    notes = [("E", 2, 6, 0), ("G", 2, 6, 3), ("B", 2, 5, 2), ("A", 3, 3, 2)]
    found = read_musicxml(score("".join(stray(*one[:3], None) for one in notes)))
    hits = found.riff.sections[0].bars[0].hits
    assert [(hit.notes[0].string, hit.notes[0].fret) for hit in hits] == [
        (string, fret) for _, _, string, fret in notes
    ]
    assert found.left_out == ()


@pytest.mark.parametrize(
    ("measure", "said"),
    [
        (stray("G", 2, 6, "40") + note("E", 2, 2), "1 note that isn't on the neck"),
        (stray("G", 2, 6, "-1") * 2 + note("E", 2, 2), "2 notes that aren't on the neck"),
        (
            stray("E", 2, 6, "0") * 3 + stray("G", 2, 6, "5"),
            "the pitch of 1 note whose fret and pitch disagree: the fret is taken",
        ),
        ("<note><cue/><pitch><step>E</step><octave>3</octave></pitch><duration>2</duration></note>"
         + note("E", 2, 2), "1 cue note"),
        (stray("E", 2, 6, "0") + "<backup><duration>2</duration></backup>"
         + stray("E", 2, 6, "0", "<voice>2</voice>"), "1 second note on a string at once"),
    ],
)  # fmt: skip
def test_what_a_score_holds_beside_the_riff_is_said(measure: str, said: str) -> None:
    assert said in read_musicxml(score(measure)).left_out


def test_notes_on_another_staff_are_counted() -> None:
    clefs = '<staves>2</staves><clef number="2"><sign>TAB</sign><line>5</line></clef>'
    first = note("E", 4, 2, more="<staff>1</staff>")
    second = stray("E", 2, 6, "0", "<staff>2</staff>")
    back = "<backup><duration>2</duration></backup>"
    found = read_musicxml(score(first + back + second, head=clefs))
    assert found.left_out == ("1 note on another staff",)


def test_frets_that_sound_higher_all_through_are_said_once() -> None:
    """As where the pitches are written without the capo: an octave is how guitars are notated."""
    found = read_musicxml(score(stray("E", 2, 6, "2") * 3))
    assert found.left_out == (
        "written pitches: the frets sound 2 semitones higher all through, and the frets are taken",
    )
    assert read_musicxml(score(stray("E", 3, 6, "0") * 3)).left_out == ()
