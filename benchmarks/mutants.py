"""Do the tests notice? Small faults planted at random places of the coach and the file formats, one
at a time; the tests that reach the line have to fail.

python -m benchmarks.mutants [--room NAME ...] [--each N] [--seed N] [--write]
(`.tools/bin/uv pip install --group mutants` first: cosmic-ray makes the mutants)

Method: mutation analysis (DeMillo, Lipton, Sayward 1978), sampled: places are drawn without
replacement, and at each place one of its mutants. A mutant inside a type annotation or a decorator
is no fault and is not drawn, nor is one that is no Python. What survives is listed, for a reader to
judge.
"""

import argparse
import ast
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import xml.etree.ElementTree as ET  # the tests' own report
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import accumulate
from pathlib import Path

import pytest
from scipy.stats import binomtest

ROOT = Path(__file__).parents[1]
PACKAGE = ROOT / "src/thrumble"
SEED = 20261130
MIN_TIMEOUT_S, TIMES_SLOWER = 30.0, 5.0
MAX_TESTS_S = 60.0  # of the tests that reach a line, the fastest, so many seconds of them
BEGIN, END = "<!-- mutants -->", "<!-- end of mutants -->"
PAGE = ROOT / "docs/mutants.md"
OUTSIDE = frozenset({"VariableReplacer", "VariableInserter", "NoOp", "RemoveDecorator"})
# identity for equality, or the reverse: no fault among enums and small numbers
SAME = (
    "_Is",
    "_IsNot",
    "_Is_Eq",
    "_IsNot_NotEq",
)
COACH = tuple(
    f"tests/core/test_{name}.py"
    for name in (
        *("care", "changes_along", "clean_speed", "coach", "comparison", "drills", "findings"),
        *("hand_speed", "inner_pulse", "judgement", "metrics", "plan", "planning_borders"),
        "planning_details",
        *(
            "progress_borders",
            "progress_details",
            "proving",
            "ratings",
            "remarks",
            "remedies",
            "session",
            "stamina",
        ),
        *("verdict_borders", "verdict_details"),
    )
)
ROOMS = {
    "core/coach/verdict": COACH,
    "core/coach/progress": COACH,
    "core/coach/planning": COACH,
    "core/coach/comparing": COACH,
    "formats": ("tests/formats",),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Mutant:
    """One fault: `occurrence` of `operator` in `path`, on `line`."""

    path: Path
    line: int
    operator: str
    occurrence: int

    @property
    def place(self) -> str:
        return f"{self.path.relative_to(PACKAGE)}:{self.line}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Outcome:
    """What the tests did; `change`: the line before and after."""

    mutant: Mutant
    killed: bool
    reached: bool
    change: str


@dataclass(frozen=True, slots=True)
class Reach:
    """Which tests reach a line of a file, and how long each takes in seconds."""

    tests: dict[tuple[Path, int], frozenset[str]]
    seconds: dict[str, float]

    def of(self, mutant: Mutant) -> list[str]:
        """The tests that reach the mutant's statement, the fastest first."""
        lines = statement_of(mutant.path.read_text(), mutant.line)
        reaching = frozenset[str]().union(
            *(self.tests.get((mutant.path, line), frozenset()) for line in lines)
        )
        fastest = sorted(reaching, key=lambda test: self.seconds.get(test, 0.0))
        until_s = accumulate(self.seconds.get(test, 0.0) for test in fastest)
        return [test for test, at_s in zip(fastest, until_s, strict=True) if at_s <= MAX_TESTS_S]


def statement_of(source: str, line: int) -> range:
    """The lines of the smallest statement that holds the line: a statement over several lines is
    reached if one of them is.
    """
    spans = [
        (node.lineno, node.end_lineno or node.lineno)
        for node in ast.walk(ast.parse(source))
        if isinstance(node, ast.stmt) and node.lineno <= line <= (node.end_lineno or node.lineno)
    ]
    first, last = min(spans, key=lambda span: span[1] - span[0], default=(line, line))
    return range(first, last + 1)


def _faultless(source: str) -> list[tuple[int, int, int, int]]:
    """The spans of type annotations and decorators, where a change is no fault: first line, first
    column, last line, last column.
    """
    spans = []
    for node in ast.walk(ast.parse(source)):
        hints = [getattr(node, name, None) for name in ("annotation", "returns")]
        hints += getattr(node, "decorator_list", [])
        for hint in hints:
            if isinstance(hint, ast.expr):
                end = (hint.end_lineno or hint.lineno, hint.end_col_offset or 0)
                spans.append((hint.lineno, hint.col_offset, *end))
    return spans


def mutants_of(path: Path) -> dict[tuple[int, int], list[Mutant]]:
    """Every mutant of a file by its place (line, column)."""
    from cosmic_ray.ast import ast_nodes, get_ast
    from cosmic_ray.plugins import get_operator, operator_names

    tree, hints = get_ast(path.read_text()), _faultless(path.read_text())
    out: dict[tuple[int, int], list[Mutant]] = {}
    for name in operator_names():
        if name.split("/")[1] in OUTSIDE or name.endswith(SAME):
            continue
        operator, occurrence = get_operator(name)(), 0
        for node in ast_nodes(tree):
            for start, _ in operator.mutation_positions(node):
                inside = any((a, b) <= start <= (c, d) for a, b, c, d in hints)
                if not inside:
                    mutant = Mutant(path=path, line=start[0], operator=name, occurrence=occurrence)
                    out.setdefault(start, []).append(mutant)
                occurrence += 1
    return out


def draw(room: str, count: int, seed: int) -> list[Mutant]:
    """Draw `count` mutants of a room, each at another place."""
    rng = random.Random(f"{seed} {room}")
    places = [
        mutants
        for path in sorted((PACKAGE / room).rglob("*.py"))
        for _, mutants in sorted(mutants_of(path).items())
    ]
    drawn: list[Mutant] = []
    for mutants in rng.sample(places, len(places)):
        mutant = rng.choice(mutants)
        if len(drawn) < count and _is_python(mutated(mutant)):
            drawn.append(mutant)
    return drawn


def reach_of(room: str, folder: Path) -> Reach:
    """Run the room's tests once with coverage per test. Raises CalledProcessError if they fail."""
    from coverage import CoverageData

    data, report = folder / "coverage", folder / "report.xml"
    command = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", *ROOMS[room]]
    command += [f"--cov={PACKAGE / room}", "--cov-context=test", "--cov-report="]
    command += [f"--junitxml={report}"]
    environment = {**os.environ, "COVERAGE_FILE": str(data)}
    subprocess.run(command, cwd=ROOT, check=True, env=environment, stdout=subprocess.DEVNULL)
    seconds = {}
    for case in ET.parse(report).iter("testcase"):
        file = case.attrib["classname"].replace(".", "/") + ".py"
        seconds[f"{file}::{case.attrib['name']}"] = float(case.attrib["time"])
    measured, tests = CoverageData(str(data)), {}
    measured.read()
    for file in measured.measured_files():
        for line, contexts in measured.contexts_by_lineno(file).items():
            names = frozenset(context.split("|")[0] for context in contexts if context)
            # lines that run at import are reached by every test
            tests[(Path(file), line)] = names or frozenset(seconds)
    return Reach(tests, seconds)


def mutated(mutant: Mutant) -> str:
    """The source with the fault in it."""
    from cosmic_ray.mutating import mutate_code
    from cosmic_ray.plugins import get_operator

    code = mutate_code(mutant.path.read_text(), get_operator(mutant.operator)(), mutant.occurrence)
    if code is None:
        raise RuntimeError(f"no mutant at {mutant.place}")
    return code


def _is_python(source: str) -> bool:
    try:
        ast.parse(source)
    except SyntaxError:
        return False
    return True


def plant(mutant: Mutant, tree: Path) -> str:
    """Write the mutant into a copy of the source tree; give the line before and after."""
    source, code = mutant.path.read_text(), mutated(mutant)
    (tree / mutant.path.relative_to(ROOT / "src")).write_text(code)
    pairs = zip(source.splitlines(), code.splitlines(), strict=False)
    before, after = next(((a, b) for a, b in pairs if a != b), ("", ""))
    return f"`{before.strip()}` became `{after.strip()}`"


def fails(tests: list[str], tree: Path, limit_s: float) -> bool:
    """Whether any of the tests fails, or they take too long, on the tree's package."""
    child = os.fork()
    if child == 0:
        os.setsid()
        null = os.open(os.devnull, os.O_RDWR)
        for stream in (0, 1, 2):
            os.dup2(null, stream)
        os.chdir(ROOT)
        sys.path.insert(0, str(tree))
        os._exit(int(pytest.main(["-x", "-q", "-p", "no:cacheprovider", "-p", "no:cov", *tests])))
    until = time.monotonic() + limit_s
    while time.monotonic() < until:
        done, status = os.waitpid(child, os.WNOHANG)
        if done:
            return status != 0
        time.sleep(0.05)
    os.killpg(child, signal.SIGKILL)
    os.waitpid(child, 0)
    return True


def trial(room: str, count: int, seed: int) -> Iterator[Outcome]:
    """Plant every drawn mutant of a room and run the tests that reach it."""
    with tempfile.TemporaryDirectory(prefix="mutants-") as name:
        folder = Path(name)
        reach, tree = reach_of(room, folder), folder / "src"
        shutil.copytree(ROOT / "src", tree, ignore=shutil.ignore_patterns("__pycache__"))
        for mutant in draw(room, count, seed):
            tests = reach.of(mutant)
            change = plant(mutant, tree)
            usual_s = sum(reach.seconds.get(test, 1.0) for test in tests)
            limit_s = MIN_TIMEOUT_S + TIMES_SLOWER * usual_s
            killed = bool(tests) and fails(tests, tree, limit_s)
            shutil.copy(mutant.path, tree / mutant.path.relative_to(ROOT / "src"))
            yield Outcome(mutant=mutant, killed=killed, reached=bool(tests), change=change)


def lines_of(results: dict[str, list[Outcome]]) -> list[str]:
    """The table, and every survivor."""
    out = ["| room | mutants | survived | share (95 % interval) | not reached by a test |"]
    out.append("| --- | --- | --- | --- | --- |")
    rows = [*results.items(), ("all", [o for outcomes in results.values() for o in outcomes])]
    for room, outcomes in rows:
        alive = sum(not o.killed for o in outcomes)
        interval = binomtest(alive, len(outcomes)).proportion_ci(0.95, method="wilson")
        out.append(
            f"| `{room}` | {len(outcomes)} | {alive} | {alive / len(outcomes):.2f} "
            f"({interval.low:.2f} to {interval.high:.2f}) "
            f"| {sum(not o.reached for o in outcomes)} |"
        )
    out += ["", "Survivors:", ""]
    survivors = [o for outcomes in results.values() for o in outcomes if not o.killed]
    return out + [f"- `{o.mutant.place}`: {o.change}" for o in survivors]


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--room", action="append", choices=list(ROOMS))
    parser.add_argument("--each", type=int, default=100)
    parser.add_argument("--seed", type=int, default=SEED)
    parser.add_argument("--write", action="store_true")
    args = parser.parse_args()
    results: dict[str, list[Outcome]] = {}
    for room in args.room or ROOMS:
        results[room] = []
        for outcome in trial(room, args.each, args.seed):
            results[room].append(outcome)
            if not outcome.killed:
                print(outcome.mutant.place, outcome.change, flush=True)
        print(room, len(results[room]), "mutants", flush=True)
    lines = lines_of(results)
    print("\n".join(lines))
    if args.write:
        head, rest = PAGE.read_text().split(BEGIN)
        PAGE.write_text(head + "\n".join([BEGIN, *lines, END]) + rest.split(END)[1])


if __name__ == "__main__":
    main()
