"""What comes from outside, cleaned or refused in one place: ids, lines and texts, numbers. Every
form, path and JSON field is one of these.
"""

import unicodedata
from typing import Annotated

from fastapi import Depends, Path, Query, Request
from pydantic import AfterValidator, BaseModel, ConfigDict, Field
from starlette.convertors import Convertor, register_url_convertor

from thrumble.core.errors import BadAudio, BadInput

BIGGEST_ID = 2**31 - 1
SOUND_BYTES = 192_000 * 4 * 30
CHUNK_BYTES = 4_000_000

Id = Annotated[int, Path(ge=1, le=BIGGEST_ID)]
Reference = Annotated[int, Field(ge=1, le=BIGGEST_ID)]
PollCount = Annotated[int, Query(ge=0, le=1_000_000)]
PageNumber = Annotated[int, Query(ge=1, le=1_000_000)]


def clean_text(text: str) -> str:
    """Text with line breaks. Raises ValueError for what can be neither stored nor shown: NUL and
    halves of characters.
    """
    if any(c == "\0" or 0xD800 <= ord(c) <= 0xDFFF for c in text):
        raise ValueError("this holds a character that can't be stored: type it again")
    return text


def clean_line(text: str) -> str:
    """One line of text, without control characters, trimmed."""
    return "".join(" " if unicodedata.category(c) == "Cc" else c for c in clean_text(text)).strip()


Text = Annotated[str, AfterValidator(clean_text)]
Line = Annotated[str, AfterValidator(clean_line)]


class Sent(BaseModel):
    """The base of everything sent as JSON: numbers are numbers, never infinite."""

    model_config = ConfigDict(allow_inf_nan=False)


def file_name(name: str | None) -> str:
    """The name of an uploaded file, shortened and without characters that can't be stored."""
    printable = (c for c in name or "" if c.isprintable() and not 0xD800 <= ord(c) <= 0xDFFF)
    return "".join(printable)[:120]


class _IdConvertor(Convertor[int]):
    """Ids in addresses that have other words in the same place: digits, and not so many that they
    are no number.
    """

    regex = "[0-9]{1,10}"

    def convert(self, value: str) -> int:
        return int(value)

    def to_string(self, value: int) -> str:
        return str(value)


register_url_convertor("id", _IdConvertor())


async def raw_body(request: Request, most: int) -> bytes:
    """A request's body, already taken in; refused beyond `most` bytes."""
    data = bytearray()
    async for part in request.stream():
        data += part
        if len(data) > most:
            raise BadAudio("this piece of sound is too long: send a shorter one")
    if not data or len(data) % 4:
        raise BadAudio("sound is float32 samples, four bytes each")
    return bytes(data)


async def _chunk(request: Request) -> bytes:
    return await raw_body(request, CHUNK_BYTES)


Chunk = Annotated[bytes, Depends(_chunk)]


def whole_number(text: str, what: str) -> int | None:
    """The whole number typed in a field, None if it was left empty. Raises BadInput."""
    if not text.strip():
        return None
    if not (text.isascii() and text.isdigit()) or len(text) > 9:
        raise BadInput(f"{what} is a whole number; found {text[:20]!r}")
    return int(text)
