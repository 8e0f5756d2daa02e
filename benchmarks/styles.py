"""Ten riffs in ten styles, as a player would write them: what is recommended on the neck, which
drills are offered and how fast, and what is proposed after a take with the flaw that style invites.
To be read by a rhythm player, who says whether a teacher would say the same.

python -m benchmarks.styles [--write]
"""

import argparse
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from thrumble.core.coach.progress.drill_tempo import drill_tempo
from thrumble.core.coach.verdict.findings import find_findings
from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.coach.verdict.proposals import propose
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.neck.grips import Grip
from thrumble.core.neck.hand import Hand
from thrumble.core.neck.routes import Route, plan_routes
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.drills.catalogue import TABLE, drills_of, make_drill
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.riff.patterns import FORMS, PATTERNS, Choices, make_riff
from thrumble.trained import EAR

DOCUMENT = Path(__file__).parent.parent / "docs/accuracy/styles.md"
MAX_GRIPS = 8
DROP = "tuning: D2 A2 D3 G3 B3 E4\n"
SEVEN = "tuning: B1 E2 A2 D3 G3 B3 E4\n"


@dataclass(frozen=True, slots=True)
class Style:
    """A riff and the flaw that it invites."""

    name: str
    riff: Riff
    flaws: Flaws


def _written(name: str, tempo: int, bars: str, *, head: str = "", flaws: Flaws) -> Style:
    text = f"title: {name}\ntempo: {tempo}\n{head}[A]\n{bars}\n"
    return Style(name, parse_riff(text), flaws)


def styles() -> list[Style]:
    """The ten."""
    flat = make_riff(
        PATTERNS["shuffle"],
        FORMS["12"].degrees,
        key="Eb",
        tempo_bpm=118,
        choices=Choices(reach_mm=Hand().reach_mm),
        title="Shuffle in E flat",
    )
    return [
        _written(
            "Down-stroke punk",
            184,
            "| A5@6/5 o o o o D5@5/5 o o o o | E5@5/7 o o o o o o o o |\n" * 4,
            flaws=Flaws(timing=7, tiring=50),
        ),
        _written(
            "Fast gallop",
            220,
            "| 6:0 (M (M M)) (M (M M)) (M (M M)) G5@6/3 (o (o o)) |\n"
            "| 6:0 (M (M M)) (M (M M)) A5@6/5 (o (o o)) G5@6/3 (o (o o)) |\n" * 3,
            head="pedal: 6:0\n",
            flaws=Flaws(timing=7, missed=0.1),
        ),
        Style("Shuffle in E flat", flat, Flaws(timing=7, swing=1.2)),
        _written(
            "Drop-D in 7/8",
            132,
            "| D5@6/0 M M F5@6/3 o D5@6/0 M G5@6/5 o D5@6/0 M |\n" * 6,
            head=DROP + "meter: 7/8\n",
            flaws=Flaws(timing=7, ringing=0.35),
        ),
        _written(
            "Seven-string gallop",
            160,
            "| 7:0 (M (M M)) (M (M M)) C5@7/1 (o (M M)) D5@7/3 o |\n" * 6,
            head=SEVEN + "pedal: 7:0\n",
            flaws=Flaws(timing=7, level=6),
        ),
        _written(
            "Garage stabs",
            140,
            "| A5@6/5 >o - - - C5@6/8 >o - D5@6/10 >o - |\n" * 6,
            flaws=Flaws(timing=7, stop=160, stop_spread=10),
        ),
        Style(
            "Open boogie in A",
            make_riff(
                PATTERNS["shuffle"],
                FORMS["12"].degrees,
                key="A",
                tempo_bpm=126,
                title="Open boogie in A",
            ),
            Flaws(timing=18),
        ),
        _written(
            "Single notes",
            112,
            "| 6:0 o 6:3 o 6:5 o 6:3 o 5:2 o 6:5 o 6:3 o 6:0 o |\n" * 6,
            flaws=Flaws(timing=7, extra=0.12),
        ),
        _written(
            "Drones",
            96,
            "| 5:0,4:2,3:2,2:0,1:0 o o 5:2,4:4,2:0,1:0 o o 5:4,4:6,2:0,1:0 o o "
            "5:2,4:4,2:0,1:0 o o |\n" * 5,
            flaws=Flaws(timing=7, stray=0.4),
        ),
        _written(
            "Slow doom in C",
            60,
            "| C5@6/0 o o o o D#5@6/3 o o F5@6/5 o o | C5@6/0 o o o o F#5@6/6 o o F5@6/5 o o |\n"
            * 3,
            head="tuning: C2 G2 C3 F3 A3 D4\n",
            flaws=Flaws(timing=7, drift=12),
        ),
    ]


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m benchmarks.styles", description=__doc__)
    parser.add_argument("--write", action="store_true", help=f"store it in {DOCUMENT.name}")
    arguments = parser.parse_args()
    text = "\n".join(
        [
            "# Ten styles",
            "",
            f"Made on {datetime.now(UTC):%Y-%m-%d} by `python -m benchmarks.styles --write`.",
            "Routes are for a hand of usual reach that was never measured. Tempos of drills are",
            "those of a player who plays the riff at its own tempo.",
            "",
            *(line for style in styles() for line in _report(style)),
        ]
    )
    print(text)
    if arguments.write:
        DOCUMENT.write_text(text)


def _report(style: Style) -> list[str]:
    riff, expanded = style.riff, expand(style.riff)
    first, *others = plan_routes(expanded, riff.instrument)
    lines = [
        f"## {style.name}",
        "",
        f"{riff.tempo_bpm} bpm, {riff.feel}, {' '.join(riff.tuning)}",
        "",
        f"- **On the neck**: *{first.name}*, {_grips(first)}. "
        f"Fastest move {first.hardest_mm_s:.0f} mm a second.",
        *(
            f"  - else *{other.name}*"
            + (f": {', '.join(other.advantages)}" if other.advantages else "")
            for other in others
        ),
    ]
    drills = []
    for drill in drills_of(riff):
        made = make_drill(riff, drill.kind)
        goal = float(riff.tempo_bpm)
        start = drill_tempo(made, drill.share, goal, goal, riff.instrument, None)
        drills.append(f"{drill.name} at {start.tempo_bpm:g}")
    lines.append(f"- **Drills**: {', '.join(drills)}.")
    take = perform(riff, seed=11, tone=Tone.CRUNCH, flaws=style.flaws)
    info = TakeInfo(start_s=take.start_s, delay_ms=9.0, delay_spread_ms=1.0)
    judgement = judge(read_take(take.samples, take.rate_hz, expanded, info, ear=EAR), expanded)
    findings = find_findings(judgement)
    lines += [f"- **A take**: {finding.sentence(judgement)}" for finding in findings[:2]]
    for proposal in propose(judgement, findings):
        name = "the riff" if proposal.drill is None else TABLE[proposal.drill].name
        where = "" if proposal.bars is None else f", bars {proposal.bars[0]} to {proposal.bars[1]},"
        if proposal.bars is not None and proposal.bars[0] == proposal.bars[1]:
            where = f", bar {proposal.bars[0]},"
        lines.append(f"  - practise {name}{where} at {proposal.tempo_bpm:g}: {proposal.why}")
    return [*lines, ""]


def _grips(route: Route) -> str:
    seen: dict[str, None] = {}
    for place in route.places:
        seen.setdefault(_grip(place.grip))
    shown = list(seen)[:MAX_GRIPS]
    more = len(seen) - len(shown)
    return ", ".join(shown) + (f" and {more} more" if more > 0 else "")


def _grip(grip: Grip) -> str:
    """String/fret(finger) of every note, from the lowest string."""
    notes = sorted(grip.notes, key=lambda note: -note.string)
    return " ".join(f"{note.string}/{note.fret}({note.finger})" for note in notes)


if __name__ == "__main__":
    main()
