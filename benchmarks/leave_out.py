"""How much the ear owes to having met a family of guitars: trained on one source alone, measured on
the other, on a recorded guitar and on a folder that are neither. The ear as it ships on guitars
that it never met:
`benchmarks.unmet`.

    python -m benchmarks.leave_out [--folder ../shared/takes] [the options of training.train]

Writes docs/accuracy/leave-one-source-out.md. The shipped weights are left alone.
"""

from dataclasses import replace
from functools import partial
from multiprocessing import Pool
from pathlib import Path

import numpy as np
from training.examples import SOURCES, gathered
from training.train import fit, options

from benchmarks.cases import (
    Score,
    Take,
    folder_takes,
    heard_by_the_ear,
    measure,
    merged,
    simulated_take,
)
from benchmarks.real_strings import SETS
from benchmarks.real_strings import measured as measured_real
from benchmarks.tables import share, table
from thrumble.core.ear.model.network import Network
from thrumble.trained import EAR

ROOT = Path(__file__).parent.parent
MEASURED = 40
RECORDED = 24


def read_with(networks: dict[str, Network], what: Take) -> Score:
    """One take heard by an ear with these networks."""
    score = Score()
    measure(what, heard_by_the_ear(what, ear=replace(EAR, **networks)), score)
    return score


def row(trained: str, measured: str, score: Score) -> tuple[str, ...]:
    known = [c for c in score.cases if c.played and c.heard is not None]
    unlike = [c for c in known if c.real != c.planned]
    errors = np.abs([c.error_ms for c in score.cases if c.error_ms is not None])
    return (
        trained,
        measured,
        str(len(known)),
        share(errors.size, sum(c.played for c in score.cases)),
        f"{np.mean(score.f25):.3f}",
        f"{np.percentile(errors, 95):.1f}",
        share(sum(c.muted_right for c in known), len(known)),
        share(sum(c.heard == c.real for c in known), len(known)),
        share(sum(c.heard == c.real for c in unlike), len(unlike)),
    )


def main() -> None:
    parser = options(__doc__ or "")
    parser.add_argument("--folder", type=Path, default=ROOT.parent / "shared/takes")
    arguments = parser.parse_args()
    rows = []
    for trained, examples in gathered(arguments).items():
        networks = fit(examples, arguments.keep)
        for measured in SOURCES:
            with Pool() as pool:
                takes = pool.map(
                    partial(simulated_take, seed=11, sampled=measured == "sampled"),
                    range(MEASURED),
                    chunksize=2,
                )
                rows.append(
                    row(
                        trained,
                        measured,
                        merged(pool.map(partial(read_with, networks), takes, chunksize=2)),
                    )
                )
        recorded = next(one for one in SETS if one.name == "recorded, worn")
        ear = replace(EAR, **networks)
        rows.append(row(trained, "a recorded guitar", measured_real(recorded, RECORDED, ear)))
        if arguments.folder.exists():
            rows.append(
                row(
                    trained,
                    "the folder",
                    merged([read_with(networks, one) for one in folder_takes(arguments.folder)]),
                )
            )
    head = (
        "trained on",
        "measured on",
        "hits",
        "found",
        "F ±25 ms",
        "error 95 %, ms",
        "open or muted",
        "three classes",
        "unlike the plan",
    )
    options_named = (
        f"--takes {arguments.takes} --loud {arguments.loud} --ringing {arguments.ringing} "
        f"--guitars {arguments.guitars}"
    ) + (f" --keep {' '.join(arguments.keep)}" if arguments.keep else "")
    text = [
        f"# Trained on one source, measured on others, engine {EAR.version}",
        "",
        f"Written by `python -m benchmarks.leave_out {options_named}`, half of them of each "
        "source.",
        "",
    ]
    if arguments.keep:
        kept = ", ".join(arguments.keep)
        text += [f"As shipped, so learnt from both: {kept}.", ""]
    (ROOT / "docs/accuracy/leave-one-source-out.md").write_text(
        "\n".join([*text, *table(head, rows)]).rstrip() + "\n"
    )


if __name__ == "__main__":
    main()
