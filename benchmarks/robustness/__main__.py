"""Runs the trials asked for, or all of them; prints their tables, and with --write keeps them in
docs/robustness.md.
"""

import argparse
import importlib
import platform
import re
import sys
from datetime import date
from pathlib import Path

from benchmarks.robustness.table import lines

TRIALS = {
    "kills": "Kills at random moments",
    "files": "Odd files and memory",
    "requests": "Odd requests",
    "load": "Many at once",
    "races": "Races",
    "size": "Pages at size",
    "practice": "Ten years of practice",
    "disk": "A full disk",
    "imports": "Hostile imports",
    "memory": "An hour of mixed use",
    "browser": "In the browser",
    "rounds": "An hour of rounds",
    "lessons": "A class, and a flood at the gate",
}
DOCUMENT = Path(__file__).parents[2] / "docs/robustness.md"
HEAD = """# Robustness: fault-injection results

What the running application was put through, and what happened. Each table is made, and put in
here, by the command above it; the fast representatives of each stand in `tests/`.
"""


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m benchmarks.robustness", description=__doc__)
    parser.add_argument(
        "trials", nargs="*", choices=[*TRIALS, []], help="all of them if none is named"
    )
    parser.add_argument(
        "--write", action="store_true", help="keep the tables in docs/robustness.md"
    )
    asked = parser.parse_args()
    failed = False
    for name in asked.trials or list(TRIALS):
        rows = importlib.import_module(f"benchmarks.robustness.{name}").trial()
        table = "\n".join(lines(rows))
        print(f"\n## {TRIALS[name]}\n{table}", flush=True)
        failed |= any(row.held is False for row in rows)
        if asked.write:
            keep(name, table)
    sys.exit(failed)


def keep(name: str, table: str) -> None:
    """Puts a trial's table into the document, in place of its last one."""
    text = DOCUMENT.read_text() if DOCUMENT.exists() else HEAD
    begin, end = f"<!-- {name} -->", f"<!-- end of {name} -->"
    made = (
        f"Made on {date.today()} on {platform.machine()}, two cores, by `python -m "
        f"benchmarks.robustness {name} --write`."
    )
    block = f"{begin}\n## {TRIALS[name]}\n{made}\n\n{table}\n{end}"
    text = (
        re.sub(f"{re.escape(begin)}.*?{re.escape(end)}", lambda _: block, text, flags=re.S)
        if begin in text
        else f"{text.rstrip()}\n\n{block}\n"
    )
    DOCUMENT.write_text(text)


if __name__ == "__main__":
    main()
