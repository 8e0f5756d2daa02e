"""Compiles every module that the server loads, and no other: the first page comes sooner, and what
is never used takes no space.

python -m scripts.compiled
"""

import importlib
import py_compile
import sys
from contextlib import suppress

LOADED = (
    "thrumble.serving",
    "thrumble.web.app",
    "thrumble.worker",
    "thrumble.actions.demo",
    "thrumble.actions.signing_in",
    "alembic.command",
    "uvicorn.protocols.http.h11_impl",
    "scipy.optimize",
)


def main() -> None:
    for name in LOADED:
        importlib.import_module(name)
    for module in list(sys.modules.values()):
        file = getattr(module, "__file__", None)
        if file and file.endswith(".py"):
            with suppress(OSError, py_compile.PyCompileError):
                py_compile.compile(file, doraise=True)


if __name__ == "__main__":
    main()
