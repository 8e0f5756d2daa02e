"""The house rules that no tool checks: start-up weight, templates, scripts, names, documents."""

import ast
import re
import subprocess
import sys
from collections import Counter
from pathlib import Path

import pytest
from benchmarks.everything import SHORT, SHORT_BEGIN, SHORT_END
from jinja2 import nodes
from scripts.prose import texts

from thrumble.core.riff.notation.printing import print_riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.web.templating import environment

ROOT = Path(__file__).parents[2]
SOURCE = ROOT / "src/thrumble"
TEMPLATES = sorted(str(p.relative_to(SOURCE / "web")) for p in (SOURCE / "web").rglob("*.html"))
MODULES = sorted(
    p
    for p in [
        *SOURCE.rglob("*.py"),
        *(ROOT / "benchmarks").rglob("*.py"),
        *(ROOT / "training").glob("*.py"),
    ]
    if "vendor" not in p.parts
)
SCRIPTS = sorted(p for p in (SOURCE / "web").rglob("*.js") if "vendor" not in p.parts)


SLOW = (
    "scipy.signal",
    "scipy.stats",
    "scipy.fft",
    "scipy.special",
    "mido",
    "music21",
    "matplotlib",
    "fpdf",
    "defusedxml",
)


@pytest.mark.parametrize(
    "start",
    [
        "thrumble.web.app",
        "thrumble.cli",
        "thrumble.core.ear.take",
        "thrumble.actions.listening",
        "thrumble.worker",
    ],
)
def test_nothing_on_the_start_up_path_imports_the_slow_parts_of_scipy(start: str) -> None:
    code = f"import sys, {start}; print([m for m in {SLOW} if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    assert done.stdout.strip() == "[]", done.stderr


def test_the_core_knows_no_files_databases_or_clocks() -> None:
    for module in (SOURCE / "core").rglob("*.py"):
        text = module.read_text()
        assert not re.search(
            r"\bopen\(|import (os|pathlib|time|requests|sqlalchemy|random)\b|datetime\.now|np\.random\.(?!default_rng|Generator)",
            text,
        ), module


ARITHMETIC = (nodes.Add, nodes.Sub, nodes.Mul, nodes.Div, nodes.FloorDiv, nodes.Mod, nodes.Pow)
INLINE = re.compile(
    r"<script(?![^>]*(src=|application/json))|\son[a-z]+=\"|\sstyle=|href=\"/|hx-(get|post)=\"/"
)


def test_templates_only_place_what_views_computed() -> None:
    offenders = []
    for template in TEMPLATES:
        source = (SOURCE / "web" / template).read_text()
        tree = environment.parse(source)
        if any(list(tree.find_all(kind)) for kind in ARITHMETIC):
            offenders.append(f"{template}: arithmetic")
        offenders += [f"{template}: {found[0]}" for found in INLINE.finditer(source)]
    assert not offenders


def test_no_name_is_defined_twice_and_every_module_says_what_it_is() -> None:
    offenders = []
    for path in MODULES:
        tree = ast.parse(path.read_text())
        if path.stem in {"utils", "util", "helpers", "manager", "common", "misc"}:
            offenders.append(f"{path}: a drawer of odds and ends")
        if tree.body and not ast.get_docstring(tree):
            offenders.append(f"{path}: no docstring")
        for scope in [n for n in ast.walk(tree) if isinstance(n, ast.Module | ast.ClassDef)]:
            names = Counter(
                node.name
                for node in scope.body
                if isinstance(node, ast.FunctionDef | ast.ClassDef) and not node.decorator_list
            )
            offenders += [f"{path}: {name} twice" for name, count in names.items() if count > 1]
    assert not offenders


# words that name nothing: the noun of the thing is wanted
NAMELESS = frozenset(
    [
        "one",
        "own",
        "told",
        "said",
        "found",
        "known",
        "asked",
        "kept",
        "heard",
        "meant",
        "came",
        "alike",
        "strange",
        "along",
    ]
)


def test_names_are_nouns_of_the_thing() -> None:
    """Locals, arguments, functions and classes. Fields of stored documents keep their keys."""
    offenders = []
    for path in sorted(SOURCE.rglob("*.py")):
        tree = ast.parse(path.read_text())
        classes = [node for node in ast.walk(tree) if isinstance(node, ast.ClassDef)]
        bodies = [line for node in classes for line in node.body]
        fields = {line.target for line in bodies if isinstance(line, ast.AnnAssign)}
        fields |= {t for line in bodies if isinstance(line, ast.Assign) for t in line.targets}
        for node in ast.walk(tree):
            name = ""
            if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store):
                name = "" if node in fields else node.id
            elif isinstance(node, ast.arg):
                name = node.arg
            elif isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
                name = node.name
            if (
                isinstance(node, ast.stmt | ast.expr | ast.arg)
                and name.strip("_").lower() in NAMELESS
            ):
                offenders.append(f"{path.relative_to(SOURCE)}:{node.lineno}: {name}")
    assert not offenders


def test_scripts_and_styles_reach_nothing_outside() -> None:
    for path in [*SCRIPTS, *(SOURCE / "web").rglob("*.css"), *(SOURCE / "web").rglob("*.html")]:
        if "vendor" not in path.parts:
            assert not re.search(r"https?://(?!127\.0\.0\.1|www\.w3\.org)", path.read_text()), path
    assert not any(
        re.search(r"\beval\(|\.innerHTML|document\.write", path.read_text()) for path in SCRIPTS
    )


def test_the_schemas_in_docs_are_those_of_the_models() -> None:
    done = subprocess.run(
        [sys.executable, "scripts/schemas.py", "--check"], cwd=ROOT, capture_output=True, text=True
    )
    assert done.returncode == 0, done.stdout + done.stderr


def test_every_command_and_picture_has_its_place_in_the_documents() -> None:
    readme = (ROOT / "README.md").read_text()
    described = (ROOT / "docs/command-line.md").read_text()
    commands = re.findall(
        r"@app\.command\(\)\ndef (\w+)",
        "".join(path.read_text() for path in SOURCE.glob("cli*.py")),
    )
    assert len(commands) >= 11 and all(f"thrumble {name}" in described for name in commands)
    assert all(picture.name in readme for picture in (ROOT / "docs/screenshots").glob("*.png"))
    assert len(re.sub(r"<!--.*?-->|\]\([^)]*\)", "", readme).split()) <= 600


def test_the_readmes_figures_are_those_of_the_summary() -> None:
    readme, summary = (ROOT / name for name in ("README.md", "docs/accuracy/summary.md"))
    block = readme.read_text().split(SHORT_BEGIN)[1].split(SHORT_END)[0]
    for name, shown in SHORT.items():
        row = re.search(rf"^\| {re.escape(name)} \|[^|]*\|(.*)$", summary.read_text(), re.M)
        assert row is not None and f"| {shown} |{row[1]}" in block, name


def test_links_between_documents_lead_somewhere() -> None:
    dead = [
        f"{path.relative_to(ROOT)}: {target}"
        for path in [*ROOT.glob("*.md"), *(ROOT / "docs").rglob("*.md")]
        for target in re.findall(r"\]\(([^)#]+)[^)]*\)", path.read_text())
        if "://" not in target and not (path.parent / target).exists()
    ]
    assert not dead


def test_the_places_named_in_the_architecture_exist() -> None:
    text = (ROOT / "docs/architecture.md").read_text()
    table = text.split("## Where to change what")[1].split("## Rooms")[0]
    named = re.findall(r"`([a-z_/]+(?:\.[a-z]+)?)`", table)
    missing = [name for name in named if not any((base / name).exists() for base in (SOURCE, ROOT))]
    assert len(named) > 20 and not missing


def test_the_examples_of_the_notation_are_riffs() -> None:
    text = (ROOT / "docs/notation.md").read_text()
    examples = re.findall(r"```riff\n(.*?)```", text, re.S)
    assert len(examples) >= 5
    for example in examples:
        riff = parse_riff(example)
        assert parse_riff(print_riff(riff)) == riff


# what no guitarist would say, and what the glossary has another word for
UNSAID = re.compile(
    r"round and round|put away|put it away|take it out again|parted by|in line again|comes by itself"
    r"|take(?:n)? up this way|lets? (?:this|its) .*sound go|the ideal\b|what we looked at"
    r"|lie elsewhere|hold 95 times|that nobody here made|none? of ours holds|is no hand's"
    r"|more than nothing|no reading\b|is being read|being read\b|whole reading|its reading"
    r"|state of the bench|on the bench|[Aa]rmed\b|[Ff]air trial|sittings?\b|of its own accord"
    r"|no difference that we can tell|can tell no difference|in an order drawn|no hand reaches",
)


def test_no_text_of_the_interface_says_it_the_old_way() -> None:
    offenders = [
        f"{place}: {text}"
        for place, text in texts("web")
        if UNSAID.search(text) and not place.startswith("web/drawings")
    ]
    assert not offenders


def test_vendored_files_bring_their_licences() -> None:
    licences = {p.name for p in (SOURCE / "web/vendor").rglob("LICENSE*")}
    assert {
        "LICENSE-bootstrap",
        "LICENSE-htmx",
        "LICENSE-barlow-condensed",
        "LICENSE-atkinson-hyperlegible",
    } <= licences


def test_what_a_hit_is_worth_is_decided_in_one_place() -> None:
    """No limit of a hit's timing or of a stop stands outside the judgement, by name or by number."""
    names = re.compile(r"TOLERANCE_PRESETS_MS\[|QUARTER_OF_SLOT|LATE_STOP_MS")
    numbers = re.compile(r"(stop_late_ms|deviation_ms|\blate_ms)\b[^\n]{0,30}(>=|<=|>|<) *-?[1-9]")
    for path in [
        *(SOURCE / "web").rglob("*.py"),
        *(SOURCE / "core/coach").rglob("*.py"),
        *(SOURCE / "actions").glob("*.py"),
        SOURCE / "cli.py",
    ]:
        if path.name != "judgement.py":
            text = path.read_text()
            assert not names.search(text) and not numbers.search(text), path


def test_statements_for_the_database_stand_in_the_store() -> None:
    """The queue's own room, next to it, asks the queue's tables; nobody else writes SQL."""
    said = re.compile(r"""["'](select|insert into|update|delete from) """, re.I)
    for path in MODULES:
        inside = path.relative_to(ROOT)
        if inside.parts[0] == "src" and "store" not in inside.parts and inside.name != "jobs.py":
            assert not said.search(path.read_text()), path


ARRAYS = ("Array", "NDArray", "Samples", "Matrix", "ndarray")


def test_public_functions_of_the_core_state_the_shapes_of_their_arrays() -> None:
    silent = []
    for path in (SOURCE / "core").rglob("*.py"):
        for node in ast.parse(path.read_text()).body:
            if not isinstance(node, ast.FunctionDef) or node.name.startswith("_"):
                continue
            said = ast.unparse(node.args) + ast.unparse(node.returns or ast.Constant(None))
            told = "shape" in (ast.get_docstring(node) or "").lower()
            if not told and any(kind in said for kind in ARRAYS):
                silent.append(f"{path.name}: {node.name}")
    assert silent == []


def _branches(node: ast.expr) -> int:
    if not isinstance(node, ast.IfExp):
        return 1
    return _branches(node.body) + _branches(node.orelse)


def test_one_expression_chooses_between_two_things_at_most() -> None:
    chains = [
        f"{path}:{node.lineno}"
        for path in MODULES
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.IfExp) and _branches(node) > 2
    ]
    assert not chains, "say it in steps"


def test_templates_have_lines_of_at_most_140_columns() -> None:
    long = [
        f"{path.relative_to(SOURCE)}:{number}"
        for path in (SOURCE / "web").rglob("*.html")
        for number, line in enumerate(path.read_text().splitlines(), 1)
        if len(line) > 140
    ]
    assert long == []


def test_scripts_and_styles_have_lines_of_at_most_100_columns() -> None:
    styles = [p for p in (SOURCE / "web").rglob("*.css") if "vendor" not in p.parts]
    for path in [*SCRIPTS, *styles]:
        for number, line in enumerate(path.read_text().splitlines(), 1):
            assert len(line) <= 100, f"{path.name}:{number}"
