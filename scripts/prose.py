"""Lists every text that a user can see, with its place: templates, scripts, and the strings of
views, findings, errors and the command line, so that they can be read in one go.

    python -m scripts.prose [PART OF A PATH]
"""

import ast
import re
import sys
from collections.abc import Iterator
from html.parser import HTMLParser
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src/thrumble"
SPOKEN = {"aria-label", "title", "placeholder", "alt", "label"}  # attributes that are read out
CODE = re.compile(r"^[\w./:%#*\[\](){}=<>,-]*$")  # one word of a program, not a sentence
SCRIPT_STRING = re.compile(r'"((?:[^"\\\n]|\\.)*)"|`((?:[^`\\]|\\.)*)`')


class _Texts(HTMLParser):
    """The texts of a template and the lines they stand in."""

    def __init__(self) -> None:
        super().__init__()
        self.found: list[tuple[int, str]] = []

    def handle_data(self, data: str) -> None:
        self.found.append((self.getpos()[0], data))

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        del tag
        self.found += [
            (self.getpos()[0], value) for name, value in attrs if name in SPOKEN and value
        ]


def template_texts(path: Path) -> Iterator[tuple[int, str]]:
    """Texts and spoken attributes of a template, Jinja's statements taken out."""
    source = re.sub(r"{%.*?%}|{#.*?#}", " ", path.read_text(), flags=re.S)
    source = re.sub(r"{{.*?}}", "{}", source, flags=re.S)
    parser = _Texts()
    parser.feed(source)
    yield from parser.found


def module_texts(path: Path) -> Iterator[tuple[int, str]]:
    """Strings of a module but for its docstrings, f-strings with their expressions as {}."""
    tree = ast.parse(path.read_text())
    documentation = {
        id(node.body[0].value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef)
        and node.body
        and isinstance(node.body[0], ast.Expr)
    }
    inside = {
        id(part)
        for node in ast.walk(tree)
        if isinstance(node, ast.JoinedStr)
        for part in ast.walk(node)
        if part is not node
    }
    for node in ast.walk(tree):
        if id(node) in documentation or id(node) in inside:
            continue
        if isinstance(node, ast.JoinedStr):
            parts = [
                str(part.value) if isinstance(part, ast.Constant) else "{}" for part in node.values
            ]
            yield node.lineno, "".join(parts)
        elif isinstance(node, ast.Constant) and isinstance(node.value, str):
            yield node.lineno, node.value


def script_texts(path: Path) -> Iterator[tuple[int, str]]:
    """Strings of a script."""
    for number, line in enumerate(path.read_text().splitlines(), 1):
        if not line.lstrip().startswith(("//", "*", "/*", "import ")):
            for plain, template in SCRIPT_STRING.findall(line):
                yield number, plain or template


READERS = {".html": template_texts, ".py": module_texts, ".js": script_texts}


def texts(part: str = "") -> Iterator[tuple[str, str]]:
    """Every text with its place, `web/today/page.html:7`; only of paths that hold `part`."""
    for path in sorted(SOURCE.rglob("*")):
        name = str(path.relative_to(SOURCE))
        reader = READERS.get(path.suffix)
        if reader is None or part not in name or {"vendor", "migrations"} & set(path.parts):
            continue
        for line, text in reader(path):
            shown = " ".join(text.split())
            if " " in shown and not CODE.match(shown) and re.search(r"[a-z]{2}", shown):
                yield f"{name}:{line}", shown


def main() -> None:
    for place, text in texts(sys.argv[1] if len(sys.argv) > 1 else ""):
        print(f"{place}: {text}")


if __name__ == "__main__":
    main()
