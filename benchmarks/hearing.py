"""How well the ear hears: takes with truth, measured hit by hit, with the plan-only baseline beside
every figure.

    python -m benchmarks.hearing FOLDER [--start given|found]
    python -m benchmarks.hearing --simulated 60 [--seed 3] [--guitar modelled|sampled|both] [--start
    given|found]

The baseline repeats the riff without listening: every hit on its place, as written. Unsure counts
as wrong. A figure is printed where its
cell holds 200 cases or more; elsewhere n and a Wilson interval.
"""

import argparse
from collections.abc import Iterator
from functools import partial
from multiprocessing import Pool
from pathlib import Path

from benchmarks.cases import Score, folder_takes, merged, scored, simulated_take
from benchmarks.finer_tables import chord_table, level_lines, stop_table, strum_table
from benchmarks.tables import (
    articulation_table,
    depth_lines,
    onset_table,
    reliability_table,
    start_lines,
)


def report(score: Score) -> Iterator[str]:
    """All tables, as Markdown."""
    yield f"{len(score.f25)} takes, {len(score.cases)} due hits."
    yield ""
    yield from onset_table(score)
    yield from start_lines(score)
    yield from articulation_table(score.cases)
    yield from reliability_table(score.cases)
    yield from depth_lines(score.cases)
    yield from stop_table(score.cases)
    yield from chord_table(score.cases)
    yield from strum_table(score.cases)
    yield from level_lines(score.cases)


def one(number: int, *, seed: int, sampled: bool, start_given: bool) -> Score:
    return scored(iter([simulated_take(number, seed, sampled=sampled)]), start_given=start_given)


def simulated_score(
    count: int,
    seed: int,
    *,
    guitars: tuple[str, ...] = ("modelled", "sampled"),
    start_given: bool = True,
) -> Score:
    """`count` takes of each guitar."""
    parts: list[Score] = []
    with Pool() as pool:
        for guitar in guitars:
            parts += pool.map(
                partial(one, seed=seed, sampled=guitar == "sampled", start_given=start_given),
                range(count),
                chunksize=2,
            )
    return merged(parts)


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("folder", type=Path, nargs="?")
    parser.add_argument("--simulated", type=int, default=0)
    parser.add_argument("--seed", type=int, default=3)
    parser.add_argument("--guitar", choices=("modelled", "sampled", "both"), default="both")
    parser.add_argument("--start", choices=("given", "found"), default="given")
    arguments = parser.parse_args()
    given = arguments.start == "given"
    guitars = ("modelled", "sampled") if arguments.guitar == "both" else (arguments.guitar,)
    if arguments.simulated:
        score = simulated_score(
            arguments.simulated, arguments.seed, guitars=guitars, start_given=given
        )
    else:
        score = scored(folder_takes(arguments.folder), start_given=given)
    print("\n".join(report(score)))


if __name__ == "__main__":
    main()
