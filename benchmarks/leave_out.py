"""How much the ear owes to having met a family of guitars: trained on one source alone, measured on the other and on a folder that is neither.

    python -m benchmarks.leave_out [--folder ../shared/takes] [--takes 500] [--loud 160] [--seed 9]

Writes docs/leave-one-source-out.md. The shipped weights are left alone.
"""

import argparse
from functools import partial
from multiprocessing import Pool
from pathlib import Path

import numpy as np

import thrumble.core.ear.hits as hits
import thrumble.core.ear.take as take
from benchmarks.cases import Score, Take, folder_takes, heard_by_the_ear, measure, merged, simulated_take
from benchmarks.hearing import share, table
from benchmarks.train import fit, gather
from thrumble.core.ear.network import Network
from thrumble.core.ear.reading import ENGINE

ROOT = Path(__file__).parent.parent
SOURCES = {"modelled": 0, "sampled": 1}
MEASURED = 40


def read_with(networks: dict[str, Network], what: Take) -> Score:
    """One take heard by an ear with these networks."""
    take._ONSETS = networks["ONSETS"]
    hits._PLACES, hits._ARTICULATION, hits._DEPTH = (networks[name] for name in ("PLACES", "ARTICULATION", "DEPTH"))
    hits._STRUM, hits._STRAYS = networks["STRUM"], networks["STRAYS"]
    score = Score()
    measure(what, heard_by_the_ear(what), score)
    return score


def row(trained: str, measured: str, score: Score) -> tuple[str, ...]:
    known = [c for c in score.cases if c.played and c.heard is not None]
    unlike = [c for c in known if c.real != c.planned]
    errors = np.abs([c.error_ms for c in score.cases if c.error_ms is not None])
    return (
        trained, measured, str(len(known)), share(errors.size, sum(c.played for c in score.cases)), f"{np.mean(score.f25):.3f}",
        f"{np.percentile(errors, 95):.1f}",
        share(sum(c.muted_right for c in known), len(known)), share(sum(c.heard == c.real for c in known), len(known)),
        share(sum(c.heard == c.real for c in unlike), len(unlike)),
    )  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--folder", type=Path, default=ROOT.parent / "shared/takes")
    parser.add_argument("--takes", type=int, default=500)
    parser.add_argument("--loud", type=int, default=160)
    parser.add_argument("--seed", type=int, default=9)
    arguments = parser.parse_args()
    rows = []
    for trained, parity in SOURCES.items():
        ordinary, loud = 2 * arguments.takes, 2 * (arguments.takes + arguments.loud)
        networks = fit(gather(range(parity, ordinary, 2), range(ordinary + parity, loud, 2), range(parity, ordinary, 4), arguments.seed))
        for measured in SOURCES:
            with Pool() as pool:
                takes = pool.map(partial(simulated_take, seed=11, sampled=measured == "sampled"), range(MEASURED), chunksize=2)
                rows.append(row(trained, measured, merged(pool.map(partial(read_with, networks), takes, chunksize=2))))
        if arguments.folder.exists():
            rows.append(row(trained, "the folder", merged([read_with(networks, one) for one in folder_takes(arguments.folder)])))
    head = ("trained on", "measured on", "hits", "found", "F ±25 ms", "error 95 %, ms", "open or muted", "three classes", "unlike the plan")
    text = [
        f"# Trained on one source, measured on others, engine {ENGINE}",
        "",
        f"Written by `python -m benchmarks.leave_out --takes {arguments.takes} --loud {arguments.loud}`; the shipped weights are trained on both.",
        "",
    ]
    (ROOT / "docs/leave-one-source-out.md").write_text("\n".join([*text, *table(head, rows)]).rstrip() + "\n")


if __name__ == "__main__":
    main()
