"""Files on their way to a browser: written to disk first, so that no session is open and nothing
large in memory while they are sent.
"""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from fastapi import Response
from fastapi.responses import StreamingResponse
from starlette.background import BackgroundTask

PIECE = 1 << 18


@contextmanager
def temporary() -> Iterator[Path]:
    """A new empty file that is removed at the end, whatever happens. `sent`: a response that has
    opened it by then.
    """
    with tempfile.NamedTemporaryFile(prefix="thrumble-") as file:
        yield Path(file.name)


def sent(file: Path, media_type: str, headers: dict[str, str]) -> Response:
    """The file as an answer. It may be removed as soon as this returns."""
    opened = file.open("rb")

    def pieces() -> Iterator[bytes]:
        with opened:
            while piece := opened.read(PIECE):
                yield piece

    length = {"Content-Length": str(opened.seek(0, 2))}
    opened.seek(0)
    return StreamingResponse(
        pieces(),
        media_type=media_type,
        headers={**headers, **length},
        background=BackgroundTask(opened.close),
    )
