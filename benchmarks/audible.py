"""How much an extra hit adds to what sounds anyway, and how often it is told: each take is made
twice, the second time with its extra hits struck in silence.

    python -m benchmarks.audible [--takes 48]

Needs what `benchmarks/real_strings.py` needs. The table stands in docs/accuracy/notes.md.
"""

import argparse
import itertools
from functools import partial
from multiprocessing import Pool

import numpy as np

from benchmarks.cases import FOUND_S, heard_by_the_ear
from benchmarks.real_strings import SETS, TONES, Set, made
from benchmarks.tables import share, table

WHILE_S = 0.04  # from the stroke on
SILENT_DB = -120.0
STEPS_DB = (12.0, 6.0, 0.0)  # over what sounds anyway: clear, fair, faint
NAMES = ("squeaks", "slap or later")
Extra = tuple[str, float, bool]


def extras(number: int, what: Set) -> list[Extra]:
    """Of every extra hit of a take: the tone, the dB by which what it adds lies over what sounds
    without it, and whether it is told.
    """
    played, without = made(number, what), made(number, what, extra_level=SILENT_DB)
    said = np.array([e.onset_s for e in heard_by_the_ear(played).extra_onsets])
    out = []
    for hit in played.truth["hits"]:
        if hit["index"] is not None:
            continue
        begin = int(hit["onset_s"] * played.rate_hz)
        place = slice(begin, begin + int(WHILE_S * played.rate_hz))
        anyway = without.samples[place].astype(float)
        added = played.samples[place] - anyway
        over_db = 10 * np.log10((np.mean(added**2) + 1e-12) / (np.mean(anyway**2) + 1e-12))
        told = bool(said.size and np.min(np.abs(said - hit["onset_s"])) <= FOUND_S)
        out.append((played.truth["condition"]["sound"], float(over_db), told))
    return out


def row(name: str, tone: str, found: list[Extra]) -> tuple[str, ...]:
    """One line: how many were told, by how much they add."""
    bounds = (np.inf, *STEPS_DB, -np.inf)
    cells = []
    for high, low in itertools.pairwise(bounds):
        told = [right for _, over_db, right in found if low <= over_db < high]
        cells.append(share(sum(told), len(told)) + (f" of {len(told)}" if told else ""))
    return (name, tone, *cells)


def main() -> None:
    """Prints the table."""
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--takes", type=int, default=48, help="takes of each row")
    arguments = parser.parse_args()
    clear, fair, faint = (f"{step:g} dB" for step in STEPS_DB)
    head = ("recorded guitar", "tone", f"{clear} or more", f"{fair} to {clear}")
    rows = []
    for what in SETS:
        if what.name not in NAMES:
            continue
        with Pool() as pool:
            parts = pool.map(partial(extras, what=what), range(arguments.takes), 1)
        found = [one for part in parts for one in part]
        for tone in (None, *TONES):
            own = [one for one in found if tone in (None, one[0])]
            rows.append(row(what.name, tone or "all", own))
    print("\n".join(table((*head, f"{faint} to {fair}", "less"), rows)))


if __name__ == "__main__":
    main()
