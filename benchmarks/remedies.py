"""Is the first remedy what a teacher would say? Forty simulated players with one flaw each, over
riffs, tones and guitars: what is proposed first, against the guide's table.

python -m benchmarks.remedies [--players N] [--write]
(sampled guitars if their packages are installed)
"""

import argparse
import re
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from benchmarks.findings import MIN, TRIALS, Job, jobs, run
from thrumble.core.coach.verdict.findings import LABELS, find_findings
from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.coach.verdict.proposals import propose
from thrumble.core.riff.drills.catalogue import TABLE, DrillKind
from thrumble.core.riff.expand import expand

ROOT = Path(__file__).parent.parent
GUIDE = ROOT / "src/thrumble/guide/12-remedies.md"
DOCUMENT = ROOT / "docs/accuracy/remedies.md"
THE_RIFF = "the riff, slower"
BARS = "one bar"  # looped, or the change into it
TAKES_EACH = 3


def table_of(text: str) -> dict[str, tuple[str, str]]:
    """The guide's table: first and second remedy of each finding, by its label."""
    rows = re.findall(r"^\| ([^|]+) \| ([^|]+) \| ([^|]+) \| [^|]+ \|$", text, re.MULTILINE)
    return {what: (first, second) for what, first, second in rows if what in LABELS.values()}


@dataclass(frozen=True, slots=True)
class Advised:
    """What a player with a flaw was told to practise first; None if the flaw spoiled too little."""

    flaw: str
    labels: frozenset[str]
    first: str
    found: bool


def advise(job: Job) -> Advised | None:
    """Plays and analyses one take."""
    heard = run(job)
    if not all(share >= MIN for share in heard.spoilt):
        return None
    judgement = judge(heard.reading, expand(job.riff))
    findings = find_findings(judgement)
    proposals = propose(judgement, findings)
    (trial,) = job.trials
    first = "nothing"
    if proposals:
        drill = proposals[0].drill
        first = THE_RIFF if drill is None else TABLE[drill].name
        if drill in (DrillKind.LOOP, DrillKind.TRANSITION):
            first = BARS
    return Advised(
        flaw=trial.name,
        labels=frozenset(LABELS[kind] for kind in trial.right),
        first=first,
        found=bool(findings) and findings[0].kind in trial.right,
    )


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m benchmarks.remedies", description=__doc__)
    parser.add_argument("--players", type=int, default=40)
    parser.add_argument("--write", action="store_true", help=f"store the table in {DOCUMENT.name}")
    arguments = parser.parse_args()
    drawn = jobs([(trial,) for trial in TRIALS], TAKES_EACH, 9)
    drawn.sort(key=lambda job: job.seed % 1000)  # every flaw once before any comes again
    with ProcessPoolExecutor(2) as pool:
        advised = [one for one in pool.map(advise, drawn, chunksize=2) if one is not None]
    text = report(advised[: arguments.players])
    print(text)
    if arguments.write:
        DOCUMENT.write_text(text)


def report(advised: list[Advised]) -> str:
    """Markdown: by flaw, what came first and whether the table says so."""
    guide = table_of(GUIDE.read_text())
    right = sum(_is_taught(one, guide) for one in advised)
    lines = [
        "# Are the first remedies right?",
        "",
        f"Made on {datetime.now(UTC):%Y-%m-%d} by `python -m benchmarks.remedies --write`: the "
        "simulated guitarist with one known flaw, over",
        "riffs, tones and guitars.",
        "",
        f"**{right} of {len(advised)}** players are told first what the guide's table says first "
        "(`src/thrumble/guide`) or, as it says above, to loop one bar.",
        "",
        "| flaw | players | told first | as in the table |",
        "| --- | --- | --- | --- |",
    ]
    for flaw in dict.fromkeys(one.flaw for one in advised):
        mine = [one for one in advised if one.flaw == flaw]
        firsts = Counter(one.first for one in mine)
        told = ", ".join(f"{name} ({count})" for name, count in firsts.most_common())
        taught = sum(_is_taught(one, guide) for one in mine)
        lines.append(f"| {flaw} | {len(mine)} | {told} | {taught} |")
    return "\n".join(lines) + "\n"


def _is_taught(one: Advised, guide: dict[str, tuple[str, str]]) -> bool:
    return one.first == BARS or any(one.first == guide[label][0] for label in one.labels)


if __name__ == "__main__":
    main()
