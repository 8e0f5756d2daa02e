"""Rigs, tones, calibrations, examples and corrections on real PostgreSQL: ownership, what goes with
what, what is never used for another.
"""

from collections.abc import Callable
from functools import partial

import pytest
from sqlmodel import Session

from tests.store.stored import stored
from thrumble.core.coach.verdict.judgement import HitKey
from thrumble.core.errors import NotAllowed, NotFound
from thrumble.store.rig import rigs
from thrumble.store.rig.rigs import NewCalibration, NewRig
from thrumble.store.takes import corrections, readings, takes

SIX = NewRig(name="Six", tuning=("E2", "A2", "D3", "G3", "B3", "E4"), chain="interface")


def calibrated(session: Session, player: int, **changed: object) -> rigs.Calibration:
    values = {
        "browser": "b",
        "device": "d",
        "rate_hz": 48000,
        "kind": "return",
        "delay_ms": 10.0,
        "repeat_ms": 0.02,
        "spread_ms": 0.3,
        "openings_ms": [10.0, 10.3],
    }
    return rigs.add_calibration(session, player, NewCalibration(**(values | changed)))  # type: ignore[arg-type]


def test_a_rig_is_kept_changed_and_listed_in_order(session: Session, player: int) -> None:
    first = rigs.add_rig(session, player, SIX)
    second = rigs.add_rig(
        session,
        player,
        NewRig(name="Seven", tuning=("B1", *SIX.tuning), scale_mm=673, left_handed=True),
    )
    assert [r.name for r in rigs.rigs_of(session, player)] == ["Seven", "Six"], "in use first"
    rigs.use_rig(session, player, first.id)
    assert [r.name for r in rigs.rigs_of(session, player)] == ["Six", "Seven"]
    changed = rigs.change_rig(
        session, player, first.id, NewRig(name="Dropped", tuning=("D2", *SIX.tuning[1:]), capo=2)
    )
    assert (changed.id, changed.name, changed.tuning[0], changed.capo) == (
        first.id,
        "Dropped",
        "D2",
        2,
    )
    assert rigs.get_rig(session, player, second.id).left_handed


def test_deleting_a_rig_takes_its_tones_and_examples_and_leaves_its_takes(
    session: Session, player: int
) -> None:
    rig = rigs.add_rig(session, player, SIX)
    tone = rigs.add_tone(session, player, rig.id, "gate", "crunch")
    example = rigs.add_example(
        session,
        player,
        tone.id,
        kind="open",
        data=b"flac",
        rate_hz=48000,
        depth=0.0,
        origin="finder",
    )
    take = stored(session, player)
    row = takes._row(session, player, take.id)
    row.rig_id, row.tone_id = rig.id, tone.id
    session.flush()
    assert rigs.takes_on(session, player, rig.id) == 1
    rigs.delete_rig(session, player, rig.id)
    session.expire_all()
    left = takes.get_take(session, player, take.id)
    assert (left.rig_id, left.tone_id) == (None, None)
    for gone in (
        lambda: rigs.get_tone(session, player, tone.id),
        lambda: rigs.delete_example(session, player, example.id),
    ):
        with pytest.raises(NotFound):
            gone()


def test_a_tones_name_is_its_own_within_a_rig(session: Session, player: int) -> None:
    one, other = rigs.add_rig(session, player, SIX), rigs.add_rig(session, player, SIX)
    rigs.add_tone(session, player, one.id, "gate", "crunch")
    rigs.add_tone(session, player, other.id, "gate", "clean")
    with pytest.raises(NotAllowed, match="already"):
        rigs.add_tone(session, player, one.id, "gate", "clean")
    assert [t.sound for t in rigs.tones_of(session, player)] == ["crunch", "clean"]
    assert [t.sound for t in rigs.tones_of(session, player, other.id)] == ["clean"]


def test_the_newest_calibration_of_exactly_this_input_is_used_and_older_ones_stay(
    session: Session, player: int
) -> None:
    calibrated(session, player)
    newer = calibrated(session, player, delay_ms=11.5)
    calibrated(session, player, device="other", delay_ms=99.0)
    found = rigs.newest_calibration(session, player, browser="b", device="d", rate_hz=48000)
    assert found is not None and (found.id, found.delay_ms, found.openings_ms) == (
        newer.id,
        11.5,
        [10.0, 10.3],
    )
    for key in ({"browser": "c"}, {"device": "e"}, {"rate_hz": 44100}):
        asked = {"browser": "b", "device": "d", "rate_hz": 48000} | key
        assert rigs.newest_calibration(session, player, **asked) is None  # type: ignore[arg-type]
    assert [c.delay_ms for c in rigs.calibrations_of(session, player)] == [99.0, 11.5, 10.0]


def test_examples_come_back_with_their_sound_in_the_order_kept(
    session: Session, player: int
) -> None:
    tone = rigs.add_tone(session, player, rigs.add_rig(session, player, SIX).id, "gate", "crunch")
    for kind, data in (("open", b"1"), ("full", b"2"), ("dead", b"3")):
        rigs.add_example(
            session,
            player,
            tone.id,
            kind=kind,
            data=data,
            rate_hz=48000,
            depth=0.5,
            origin="finder",
        )
    assert rigs.example_sounds(session, player, tone.id) == [
        ("open", "finder", b"1"),
        ("full", "finder", b"2"),
        ("dead", "finder", b"3"),
    ]
    kept = rigs.examples_of(session, player, tone.id)
    assert rigs.delete_example(session, player, kept[1].id) == tone.id
    assert [e.kind for e in rigs.examples_of(session, player, tone.id)] == ["open", "dead"]


def test_a_correction_replaces_the_one_before_and_takes_its_example_with_it(
    session: Session, player: int
) -> None:
    take = stored(session, player)
    tone = rigs.add_tone(session, player, rigs.add_rig(session, player, SIX).id, "gate", "crunch")
    cut = partial(
        rigs.add_example,
        session,
        player,
        tone.id,
        kind="dead",
        data=b"x",
        rate_hz=48000,
        depth=0.5,
        origin="correction",
    )
    say = partial(corrections.put_correction, session, player, take.id, classified="palm")
    say(index=3, round_=1, articulation="open")
    example = cut()
    say(
        index=3,
        round_=1,
        articulation="dead",
        example_id=example.id,
    )
    say(index=3, round_=2, articulation="palm")
    found = corrections.corrections_of(session, player, take.id)
    assert set(found) == {HitKey(1, 3), HitKey(2, 3)} and (
        found[HitKey(1, 3)].articulation,
        found[HitKey(1, 3)].example_id,
    ) == ("dead", example.id)
    assert sorted(corrections.corrected_kinds(session, player)) == [
        ("palm", "dead"),
        ("palm", "palm"),
    ]
    corrections.delete_correction(session, player, take.id, 3, 1)
    corrections.delete_correction(session, player, take.id, 9, 9)
    assert (
        set(corrections.corrections_of(session, player, take.id)) == {HitKey(2, 3)}
        and rigs.examples_of(session, player, tone.id) == []
    )
    kept = cut()
    say(
        index=5,
        round_=1,
        articulation="dead",
        example_id=kept.id,
    )
    takes.delete_take(session, player, take.id)
    assert (
        corrections.corrected_kinds(session, player) == []
        and rigs.examples_of(session, player, tone.id) == []
    ), "what was cut from it goes with it"


@pytest.mark.parametrize(
    "reach",
    [
        lambda s, p, rig, tone: rigs.get_rig(s, p, rig),
        lambda s, p, rig, tone: rigs.change_rig(s, p, rig, SIX),
        lambda s, p, rig, tone: rigs.delete_rig(s, p, rig),
        lambda s, p, rig, tone: rigs.add_tone(s, p, rig, "x", "clean"),
        lambda s, p, rig, tone: rigs.get_tone(s, p, tone),
        lambda s, p, rig, tone: rigs.delete_tone(s, p, tone),
        lambda s, p, rig, tone: rigs.set_level(s, p, tone, {}),
        lambda s, p, rig, tone: rigs.add_example(
            s, p, tone, kind="open", data=b"", rate_hz=1, depth=0, origin="finder"
        ),
    ],
)
def test_nobody_reaches_another_players_rig(
    session: Session, player: int, reach: Callable[[Session, int, int, int], object]
) -> None:
    rig = rigs.add_rig(session, player, SIX)
    tone = rigs.add_tone(session, player, rig.id, "gate", "crunch")
    with pytest.raises(NotFound):
        reach(session, player + 999, rig.id, tone.id)


def test_takes_that_only_an_older_ear_heard_are_stale(session: Session, player: int) -> None:
    assert (
        readings.stale_takes(session, player, "9.9.9") == []
        and takes.waiting_takes(session, player) == 0
    )
    stored(session, player)
    assert takes.waiting_takes(session, player) == 1 and readings.changed_takes(
        session, player, "9.9.9"
    ) == (0, [])
