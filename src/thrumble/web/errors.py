"""Each class of error, its status and its page: one table, rendered once."""

from urllib.parse import quote

import structlog
from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, RedirectResponse
from starlette.exceptions import HTTPException

from thrumble.core.errors import (
    Away,
    BadAudio,
    BadFlaw,
    BadInput,
    BadRig,
    BadTempo,
    Busy,
    NoSpace,
    NotAllowed,
    NotFound,
    NotSignedIn,
    RiffError,
    ThrumbleError,
    TooOften,
    Trouble,
)
from thrumble.web.templating import render
from thrumble.web.visitors import is_local

log = structlog.get_logger()
STATUS: dict[type[ThrumbleError], int] = {
    RiffError: 422,
    BadAudio: 422,
    BadTempo: 422,
    BadFlaw: 422,
    BadRig: 422,
    BadInput: 422,
    NotFound: 404,
    NotAllowed: 409,
    NotSignedIn: 401,
    NoSpace: 507,
    Busy: 503,
    TooOften: 429,
    Away: 503,
    Trouble: 503,
}
AGAIN_S = 2
WORDS = {
    404: "There's no such page here. Pick one from the list at the side.",
    405: "That can't be done here. Go back and try again.",
}
KINDS = {
    "int_parsing": "a whole number is needed here",
    "float_parsing": "a number is needed here",
    "finite_number": "enter a finite number",
    "missing": "this is missing",
    "json_invalid": "this isn't JSON",
    "greater_than_equal": "{ge} or more is needed here",
    "less_than_equal": "at most {le} fits here",
    "string_too_long": "that's too long: {max_length} letters fit here",
    "too_long": "that's too many: {max_length} fit here",
    "literal_error": "choose {expected}",
    "enum": "choose {expected}",
    "extra_forbidden": "unknown field",
    "date_from_datetime_parsing": "a date is needed here, such as 2026-09-01",
    "date_parsing": "a date is needed here, such as 2026-09-01",
}


def add_error_pages(app: FastAPI) -> None:
    """Registers the handlers."""

    @app.exception_handler(ThrumbleError)
    def ours(request: Request, error: ThrumbleError) -> Response:
        if isinstance(error, NotSignedIn) and _opens_page(request):
            return _to_sign_in(request)
        status = STATUS.get(type(error), 400)
        return answer(
            request,
            status,
            _sentence(str(error)),
            again_s=AGAIN_S if status in (429, 503) else None,
        )

    @app.exception_handler(RequestValidationError)
    def invalid(request: Request, error: RequestValidationError) -> Response:
        first = error.errors()[0]
        if first["loc"][0] == "path":  # an address with an id that cannot be
            return answer(request, 404, WORDS[404])
        field = ".".join(str(part) for part in first["loc"][1:]) or "the request"
        message = KINDS.get(first["type"], "")
        sentence = message.format(**first.get("ctx", {})) if message else str(first["msg"])
        sentence = sentence.removeprefix("Value error, ")
        return answer(request, 422, f"{field[:60]}: {sentence}. Correct it and send it again.")

    @app.exception_handler(HTTPException)
    def http(request: Request, error: HTTPException) -> Response:
        return answer(request, error.status_code, WORDS.get(error.status_code, str(error.detail)))

    @app.exception_handler(OSError)
    def disk(request: Request, error: OSError) -> Response:
        if error.errno in (28, 122):  # no space left, quota exceeded
            return answer(
                request,
                507,
                "The disk is full: nothing that was confirmed is lost. Free some space, then try "
                "again.",
            )
        raise error


def unexpected(request: Request, error: Exception) -> Response:
    """A fault of our own: told without its innards, and logged under the request's id, which the
    page shows.
    """
    log.error(
        "fault", id=getattr(request.state, "id", ""), path=request.url.path[:120], exc_info=error
    )
    return answer(
        request,
        500,
        "Something went wrong inside Thrumble. What was confirmed is safe: reload the page and "
        "try again.",
    )


def _opens_page(request: Request) -> bool:
    return request.method == "GET" and (
        "text/html" in request.headers.get("accept", "") and "hx-request" not in request.headers
    )


def _to_sign_in(request: Request) -> Response:
    """To where one signs in, or types a PIN, and from there back to the page asked for."""
    if is_local(request):
        return RedirectResponse(request.app.url_path_for("players_page"), 303)
    query = f"?{request.url.query}" if request.url.query else ""
    back = quote(request.url.path + query, safe="")
    page = request.app.url_path_for("sign_in_page")
    return RedirectResponse(f"{page}?back={back}" if back != "%2F" else str(page), 303)


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:] + ("" if text.endswith((".", "!")) else ".")


def answer(request: Request, status: int, message: str, *, again_s: int | None = None) -> Response:
    """A message for htmx, JSON for scripts, a page for people. The status tells htmx that something
    went wrong.

    again_s : seconds after which the same may well work; a page that was only asked for then asks
    again by itself.
    """
    message = message.encode("utf-8", "replace").decode()
    if request.headers.get("hx-request"):
        response: Response = render(
            request, "shared/_problem.html", status_code=status, message=message
        )
    elif request.headers.get("accept", "").startswith("application/json"):
        response = JSONResponse({"problem": message}, status)
    else:
        again = again_s if request.method == "GET" else None
        response = render(
            request,
            "shared/problem.html",
            status_code=status,
            message=message,
            status=status,
            again_s=again,
            request_id=getattr(request.state, "id", ""),
        )
    if again_s is not None:
        response.headers["Retry-After"] = str(again_s)
    return response
