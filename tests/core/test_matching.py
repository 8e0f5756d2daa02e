"""Matching, start and tempo on candidates made by hand: every expected answer is known before."""

import numpy as np
import pytest

from thrumble.core.ear.align.echoes import without_echo
from thrumble.core.ear.align.matching import extra_hits, gaps_between, match_hits
from thrumble.core.ear.align.onsets import Candidates
from thrumble.core.ear.align.start import fit_given, fit_unknown
from thrumble.trained import EAR

DUE = np.array(
    [0.0, 0.5, 1.0, 1.25, 1.5, 2.0, 2.25, 2.75, 3.0, 3.5, 3.75, 4.25, 5.0, 5.25, 6.0, 6.5]
)
SURE, DOUBTFUL = 6.0, -5.0


def candidates(*found: tuple[float, ...]) -> Candidates:
    """Candidates from (seconds, log odds) and how loud each is in dB, 0 where not said."""
    columns = np.array([(*one, 0.0)[:3] for one in sorted(found)], dtype=float).reshape(-1, 3)
    return Candidates(*columns.T)


def played(due: np.ndarray, *, jitter_s: float = 0.006, seed: int = 1) -> list[tuple[float, float]]:
    rng = np.random.default_rng(seed)
    return [(float(t + rng.normal(0, jitter_s)), SURE) for t in due]


def match(found: Candidates, due: np.ndarray) -> np.ndarray:
    return match_hits(found, due, EAR.decisions, gaps_s=gaps_between(due)).chosen


def test_every_hit_finds_its_own_candidate_among_false_ones() -> None:
    rng = np.random.default_rng(2)
    real = played(DUE + 1)
    false = [(float(t), DOUBTFUL) for t in rng.uniform(0.5, 8, 60)]
    found = candidates(*real, *false)
    times = found.times_s[match(found, DUE + 1)]
    assert np.allclose(times, np.sort([t for t, _ in real]))


def test_a_hit_left_out_is_missed_and_its_neighbours_keep_theirs() -> None:
    real = played(DUE)
    found = candidates(*(real[:5] + real[6:]))
    chosen = match(found, DUE)
    assert chosen[5] == -1 and (np.delete(chosen, 5) >= 0).all()


def test_an_extra_hit_takes_nobodys_place() -> None:
    real = played(DUE)
    found = candidates(*real, (2.5, SURE))
    chosen = match(found, DUE)
    assert (chosen >= 0).all() and 2.5 not in found.times_s[chosen]


def test_a_likely_extra_hit_is_believed_alone_but_not_among_many_like_it() -> None:
    real = played(DUE)
    alone = candidates(*real, (2.5, 2.0), (0.51, SURE), (9.0, SURE))
    assert alone.times_s[extra_hits(alone, match(alone, DUE), EAR.decisions)].tolist() == [2.5], (
        "nor one on a hit's heels, nor long after the last"
    )
    later = DUE + np.random.default_rng(3).uniform(0.08, 0.16, DUE.size)  # all at one lag: an echo
    crowd = candidates(*real, (2.5, 2.0), *[(float(t), 1.0) for t in later])
    assert extra_hits(crowd, match(crowd, DUE), EAR.decisions).size == 0, "another guitar"
    plain = candidates(*real, (2.5, SURE), *[(float(t), 1.0) for t in later])
    assert plain.times_s[extra_hits(plain, match(plain, DUE), EAR.decisions)].tolist() == [2.5]
    assert extra_hits(alone, np.full(DUE.size, -1), EAR.decisions).size == 0


def test_of_a_quiet_extra_hit_more_is_asked_than_of_a_loud_one() -> None:
    real = played(DUE)
    for odds, level_db, said in ((-1.0, -3.0, 1), (-1.0, -24.0, 0), (SURE, -24.0, 1)):
        found = candidates(*real, (2.5, odds, level_db))
        assert extra_hits(found, match(found, DUE), EAR.decisions).size == said, (odds, level_db)


LAG_S = 0.25
OPEN = np.full(DUE.size, "open")


def echoed(
    hits: list[tuple[float, float]], lag_s: float = LAG_S
) -> list[tuple[float, float, float]]:
    """A repeat of each, 8 dB under it, a few tenths of a millisecond off."""
    rng = np.random.default_rng(5)
    return [(t + lag_s + float(rng.normal(0, 0.0003)), 1.0, -8.0) for t, _ in hits]


def test_a_hit_left_out_where_an_echo_falls_is_missed_all_the_same() -> None:
    real = played(DUE)  # the fourth hit is due where the third one's echo falls
    left = real[:3] + real[4:]
    found = candidates(*left, *echoed(left))
    assert (match(found, DUE) >= 0).all(), "the echo would pass for it"
    kept, lag_s = without_echo(found, match(found, DUE), OPEN, EAR.decisions)
    assert lag_s == pytest.approx(LAG_S, abs=0.001)
    assert {t for t, _ in left} <= set(kept.times_s)
    assert np.flatnonzero(match(kept, DUE) < 0).tolist() == [3]


def test_a_hit_played_where_an_echo_falls_stays_the_players_own() -> None:
    real = played(DUE, jitter_s=0.0)  # to the sample on it, but as loud as the others
    echo = [e for e in echoed(real) if min(abs(e[0] - t) for t, _ in real) > 0.01]
    found = candidates(*real, *echo)
    kept, lag_s = without_echo(found, match(found, DUE), OPEN, EAR.decisions)
    assert lag_s is not None and np.allclose(kept.times_s, DUE)
    plain = candidates(*real)
    assert without_echo(plain, match(plain, DUE), OPEN, EAR.decisions) == (plain, None)


def test_a_soft_hit_where_an_echo_falls_stays_among_others_as_soft() -> None:
    """A palm mute is no louder than the open hit's repeat: nothing tells that it was not played."""
    real = [(t, odds, -8.0 if k % 2 else 0.0) for k, (t, odds) in enumerate(played(DUE))]
    soft, loud = real[1::2], real[::2]
    on_echo = (loud[1][0] + LAG_S, SURE, -8.0)  # where the fourth hit is due, to the sample
    kept_soft = [soft[0], on_echo, *soft[2:]]
    echo = [e for e in echoed([(t, o) for t, o, _ in loud]) if abs(e[0] - on_echo[0]) > 0.01]
    found = candidates(*loud, *kept_soft, *echo)
    kinds = np.array(["open", "palm"] * (DUE.size // 2))
    kept, lag_s = without_echo(found, match(found, DUE), kinds, EAR.decisions)
    assert lag_s is not None and on_echo[0] in kept.times_s
    kinds[3] = "open"
    other, _ = without_echo(found, match(found, DUE), kinds, EAR.decisions)
    assert on_echo[0] not in other.times_s, "where an open hit is due it is far too soft for one"


def test_of_two_near_candidates_the_surer_one_is_taken() -> None:
    real = played(DUE, jitter_s=0.004)
    doubled = candidates(*real, *[(t + 0.018, -2.0) for t, _ in real])
    assert np.allclose(doubled.times_s[match(doubled, DUE)], [t for t, _ in real])


def test_order_is_kept_and_no_candidate_serves_twice() -> None:
    rng = np.random.default_rng(3)
    found = candidates(
        *[
            (float(t), float(o))
            for t, o in zip(rng.uniform(0, 7, 80), rng.normal(0, 4, 80), strict=True)
        ]
    )
    chosen = match(found, DUE)
    used = chosen[chosen >= 0]
    assert (np.diff(used) > 0).all()


def test_a_player_who_drifts_is_followed() -> None:
    due = np.arange(64) * 0.25
    drift = 0.00012 * np.arange(64) ** 2 / 4  # a tenth of a second late at the end
    found = candidates(*played(due + drift, jitter_s=0.004))
    assert (match(found, due) == np.arange(64)).mean() > 0.97


def test_no_candidates_or_no_sense_is_all_missed() -> None:
    assert (match(candidates(), DUE) == -1).all()
    assert (match(candidates((50.0, SURE)), DUE) == -1).all()


@pytest.mark.parametrize("lag_s", [-0.08, 0.0, 0.045, 0.12])
def test_a_constant_lag_is_found_when_the_start_is_given(lag_s: float) -> None:
    assert fit_given(candidates(*played(DUE + 2 + lag_s)), DUE + 2) == pytest.approx(
        lag_s, abs=0.008
    )
    assert fit_given(candidates((1.0, SURE)), DUE) == 0.0


@pytest.mark.parametrize(("start_s", "stretch"), [(0.7, 1.0), (3.21, 1.02), (12.0, 0.985)])
def test_start_and_tempo_are_found_from_the_pattern(start_s: float, stretch: float) -> None:
    due = np.concatenate([DUE + 7 * k for k in range(4)])
    fit = fit_unknown(
        candidates(*played(start_s + stretch * due, jitter_s=0.005)), due, EAR.decisions
    )
    assert fit is not None
    assert fit.start_s == pytest.approx(start_s, abs=0.012) and fit.stretch == pytest.approx(
        stretch, rel=0.002
    )


def test_a_take_that_begins_in_the_middle_still_finds_its_place() -> None:
    due = np.concatenate([DUE, DUE * 0.9 + 7.3, DUE * 1.1 + 14.9])
    heard = due[16:] - 5.0
    fit = fit_unknown(candidates(*played(heard, jitter_s=0.004)), due, EAR.decisions)
    assert fit is not None and fit.start_s == pytest.approx(-5.0, abs=0.012)


def test_a_riff_that_fits_in_two_places_says_so_by_its_runner_up() -> None:
    even = np.arange(16) * 0.25
    ambiguous = fit_unknown(
        candidates(*played(np.arange(18) * 0.25 + 1, jitter_s=0.003)),
        even,
        EAR.decisions,
        fit_tempo=False,
    )
    clear = fit_unknown(
        candidates(*played(DUE + 1, jitter_s=0.003)), DUE, EAR.decisions, fit_tempo=False
    )
    assert ambiguous is not None and clear is not None
    assert clear.score - clear.runner_up > 6 > ambiguous.score - ambiguous.runner_up
    assert fit_unknown(candidates((1.0, SURE)), DUE, EAR.decisions) is None


def test_gaps_are_the_smaller_ones_to_either_side() -> None:
    assert gaps_between(np.array([0.0, 0.5, 0.6])).tolist() == pytest.approx([0.5, 0.1, 0.1])
    assert gaps_between(np.array([3.0])).tolist() == [1.0]
