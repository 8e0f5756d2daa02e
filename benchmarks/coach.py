"""How true the coach's figures are, on simulated players with known ceilings.

    python -m benchmarks.coach [HISTORIES]

A player has a clean speed that learning moves up and pauses move about, a steepness of their own,
and good and bad days; half of them follow another law than the one the coach assumes.
"""

import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from thrumble.core.chance import norm_cdf
from thrumble.core.coach.planning.plan import Standing as PlanStanding
from thrumble.core.coach.planning.plan import make_plan
from thrumble.core.coach.progress.clean_speed import POINT, Estimate, Round, clean_speed
from thrumble.core.coach.progress.ladder import LadderSchool, next_step
from thrumble.core.riff.drills.catalogue import DrillKind

RIFF_BPM = 120.0
FIRST_DAY = date(2026, 9, 1)
TAKES = (3, 10, 30)


@dataclass
class Player:
    """`ceiling`: the logarithm of the clean speed against the riff's tempo, today."""

    rng: np.random.Generator
    ceiling: float
    steep: float
    learns: float
    limit: float
    rust: float
    day_spread: float
    bad_days: float
    logistic: bool
    today: float = 0.0

    def begins_day(self, days: int) -> None:
        self.ceiling += self.learns * (self.limit - self.ceiling)
        self.ceiling += self.rng.normal(0, self.rust * np.sqrt(days))
        bad = -abs(self.rng.normal(0, 0.1)) if self.rng.random() < self.bad_days else 0.0
        self.today = self.rng.normal(0, self.day_spread) + bad

    def clean(self, tempo_bpm: float) -> bool:
        above = self.ceiling + self.today - np.log(tempo_bpm / RIFF_BPM)
        if self.logistic:
            odds = above / self.steep * 1.7 + np.log(0.8 / 0.2)
            return bool(self.rng.random() < 1 / (1 + np.exp(-odds)))
        return bool(self.rng.normal() < above / self.steep + POINT)


def draw_player(seed: int) -> Player:
    rng = np.random.default_rng(seed)
    ceiling = float(rng.normal(-0.12, 0.28))
    return Player(
        rng=rng,
        ceiling=ceiling,
        steep=float(rng.uniform(0.04, 0.12)),
        learns=float(rng.uniform(0.0, 0.05)),
        limit=ceiling + float(rng.uniform(0.0, 0.4)),
        rust=float(rng.uniform(0.004, 0.016)),
        day_spread=float(rng.uniform(0.02, 0.06)),
        bad_days=float(rng.uniform(0.0, 0.25)),
        logistic=bool(rng.random() < 0.5),
    )


def play(seed: int, takes: int) -> tuple[Player, list[Round]]:
    """A history of so many takes: one to three a day, one to four rounds each, the tempo going up
    after clean takes and down after others.
    """
    player = draw_player(seed)
    rng = player.rng
    day, rounds = FIRST_DAY, []
    tempo = RIFF_BPM * float(np.exp(player.ceiling + rng.normal(-0.05, 0.15)))
    played = 0
    while played < takes:
        gap = int(rng.integers(1, 5))
        day += timedelta(days=gap)
        player.begins_day(gap)
        for _ in range(int(rng.integers(1, 4))):
            if played == takes:
                break
            own = [player.clean(tempo) for _ in range(int(rng.integers(1, 5)))]
            rounds += [Round(day, round(tempo, 1), clean) for clean in own]
            if all(own) or not any(own):
                tempo *= 1.04 if all(own) else 0.96
            played += 1
    return player, rounds


def plain_fit(rounds: list[Round]) -> tuple[float, float, float] | None:
    """A plain logistic fit of clean on the logarithm of tempo, every round by itself: the clean
    speed's logarithm and the ends of its 90 % interval; None if it does not settle.
    """
    x = np.array([np.log(one.tempo_bpm / RIFF_BPM) for one in rounds])
    y = np.array([one.clean for one in rounds], dtype=float)
    weights = np.zeros(2)
    design = np.stack([np.ones(x.size), x], axis=1)
    for _ in range(60):
        p = 1 / (1 + np.exp(-np.clip(design @ weights, -30, 30)))
        information = design.T @ (design * (p * (1 - p))[:, None])
        if np.linalg.cond(information) > 1e10:
            return None
        step = np.linalg.solve(information, design.T @ (y - p))
        weights = weights + step
        if np.abs(weights).max() > 500:
            return None
        if np.abs(step).max() < 1e-8:
            break
    if weights[1] >= 0:
        return None
    target = np.log(0.8 / 0.2)
    at = (target - weights[0]) / weights[1]
    slope = np.array([-1 / weights[1], -(target - weights[0]) / weights[1] ** 2])
    spread = float(np.sqrt(slope @ np.linalg.inv(information) @ slope))
    return float(at), float(at - 1.645 * spread), float(at + 1.645 * spread)


def coverage(histories: int, first_seed: int = 0) -> None:
    print(f"clean speed over {histories} histories; truth: the ceiling after the last day")
    print("  takes  covered  bias     width   plain fit: settles, covered, width")
    for takes in TAKES:
        held, errors, widths, plain = [], [], [], []
        for seed in range(first_seed, first_seed + histories):
            player, rounds = play(seed, takes)
            found = clean_speed(rounds, RIFF_BPM)
            assert found is not None
            truth = RIFF_BPM * float(np.exp(player.ceiling))
            held.append(found.now.low <= truth <= found.now.high)
            errors.append(found.now.bpm / truth - 1)
            widths.append((found.now.high - found.now.low) / found.now.bpm)
            fit = plain_fit(rounds)
            if fit is not None and abs(fit[2]) < 2:  # within seven times the tempo
                low, high = (RIFF_BPM * np.exp(end) for end in fit[1:])
                plain.append((low <= truth <= high, (high - low) / (RIFF_BPM * np.exp(fit[0]))))
        settles = len(plain) / histories
        print(
            f"  {takes:5d}  {np.mean(held):.3f}    {np.median(errors):+.3f}   "
            f"{np.median(widths):.3f}   {settles:.2f}  "
            f"{np.mean([one[0] for one in plain]):.3f}  {np.median([one[1] for one in plain]):.3f}"
        )


@dataclass
class Learner:
    """A player who learns from rounds: most from those that are just within reach, little from
    easy ones, nothing from hopeless ones; what is learnt from bad rounds is partly unlearnt again.
    Declared assumptions, not facts about people.
    """

    rng: np.random.Generator
    ceiling: float
    steep: float
    gain: float
    peak: float  # chance of a clean round at which most is learnt
    harm: float  # share of the gain that a hopeless round takes away

    def plays(self, tempo_bpm: float, day: float) -> bool:
        above = self.ceiling + day - np.log(tempo_bpm / RIFF_BPM)
        chance = float(norm_cdf(above / self.steep + POINT))
        clean = bool(self.rng.random() < chance)
        near = np.exp(-(((chance - self.peak) / 0.25) ** 2))
        self.ceiling += self.gain * (near - self.harm * (chance < 0.15))
        return clean


LEARNERS = {
    "learns just within reach": {"peak": 0.75, "harm": 0.2},
    "learns at the edge": {"peak": 0.45, "harm": 0.1},
    "bad rounds harm": {"peak": 0.8, "harm": 1.0},
}
SITTINGS, ROUNDS_A_SITTING = 20, 8


def ladders(players: int) -> None:
    print(
        f"schools: bpm gained in {SITTINGS} sittings of {ROUNDS_A_SITTING} rounds, "
        f"{players} simulated learners of each kind, mean (standard error)"
    )
    print("  " + " " * 28 + "".join(f"{school.value:>20s}" for school in RIFF_SCHOOLS))
    for name, kind in LEARNERS.items():
        cells = []
        for school in RIFF_SCHOOLS:
            gained = [climb(seed, school, kind) for seed in range(players)]
            error = np.std(gained) / np.sqrt(players)
            cells.append(f"{np.mean(gained):+.1f} ({error:.1f})")
        print(f"  {name:28s}" + "".join(f"{cell:>20s}" for cell in cells))


RIFF_SCHOOLS = (LadderSchool.EVIDENCE, LadderSchool.SMALL_STEPS, LadderSchool.THREE_UP)


def climb(seed: int, school: LadderSchool, kind: dict[str, float]) -> float:
    """Bpm that a learner's clean speed gains by going the school's way; the first tempo is the
    same for all.
    """
    rng = np.random.default_rng(seed)
    learner = Learner(
        rng=rng,
        ceiling=float(rng.normal(-0.25, 0.1)),
        steep=float(rng.uniform(0.05, 0.11)),
        gain=0.0012,
        **kind,
    )
    begun = learner.ceiling
    rounds: list[Round] = []
    tempo = RIFF_BPM * 0.75
    for sitting in range(SITTINGS):
        day = FIRST_DAY + timedelta(days=2 * sitting)
        form = float(rng.normal(0, 0.04))
        for _ in range(ROUNDS_A_SITTING):
            rounds.append(Round(day, round(tempo, 1), learner.plays(tempo, form)))
            tempo = next_step(rounds, RIFF_BPM, school, today=day).tempo_bpm
    return RIFF_BPM * float(np.exp(learner.ceiling) - np.exp(begun))


def planning(riffs: int = 200) -> None:
    """A session out of so many riffs, in several lengths; the solver is loaded before."""
    known = [
        PlanStanding(
            riff_id=k,
            title=f"Riff {k}",
            goal_bpm=RIFF_BPM,
            tempo_bpm=100.0,
            speed=Estimate(60 + (k * 37) % 71 + k / 100, 50.0, 140.0),
            last=FIRST_DAY - timedelta(days=k % 20),
            interval_days=1 + k % 4,
            drill=DrillKind.LOOP,
            bars=(1, 2),
            weak_why="slowest",
            strokes_a_minute=200.0,
        )
        for k in range(1, riffs + 1)
    ]
    make_plan(known[:3], 20, FIRST_DAY)
    for minutes in (10, 20, 45, 120):
        took = timed(lambda m=minutes: make_plan(known, m, FIRST_DAY))
        print(f"plan of {minutes} minutes out of {riffs} riffs: {took * 1000:.0f} ms")


def timed(what: Callable[[], object]) -> float:
    begun = time.perf_counter()
    what()
    return time.perf_counter() - begun


def main() -> None:
    histories = int(sys.argv[1]) if len(sys.argv) > 1 else 500
    coverage(histories)
    ladders(max(10, histories // 12))
    _, rounds = play(1, 200)
    planning()
    print(f"clean speed of 200 takes: {timed(lambda: clean_speed(rounds, RIFF_BPM)) * 1000:.0f} ms")


if __name__ == "__main__":
    main()
