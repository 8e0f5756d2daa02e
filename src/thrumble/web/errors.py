"""Each class of error, its status and its page: one table, rendered once."""

from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException

from thrumble.core.errors import BadAudio, BadFlaw, BadRig, BadTempo, NotAllowed, NotFound, RiffError, ThrumbleError, Trouble
from thrumble.web.templating import render

STATUS: dict[type[ThrumbleError], int] = {
    RiffError: 422,
    BadAudio: 422,
    BadTempo: 422,
    BadFlaw: 422,
    BadRig: 422,
    NotFound: 404,
    NotAllowed: 409,
    Trouble: 503,
}


def add_error_pages(app: FastAPI) -> None:
    """Registers the handlers."""

    @app.exception_handler(ThrumbleError)
    def ours(request: Request, error: ThrumbleError) -> Response:
        return answer(request, STATUS.get(type(error), 400), _sentence(str(error)))

    @app.exception_handler(RequestValidationError)
    def invalid(request: Request, error: RequestValidationError) -> Response:
        first = error.errors()[0]
        field = ".".join(str(part) for part in first["loc"][1:])
        return answer(request, 422, f"{field}: {first['msg']}. Correct it and send again.")

    @app.exception_handler(HTTPException)
    def http(request: Request, error: HTTPException) -> Response:
        words = {404: "There is no such page here. Choose one from the list at the side."}
        return answer(request, error.status_code, words.get(error.status_code, str(error.detail)))


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:] + ("" if text.endswith((".", "!")) else ".")


def answer(request: Request, status: int, message: str) -> Response:
    """A message for htmx, JSON for scripts, a page for people. The status tells htmx that something went wrong."""
    if request.headers.get("hx-request"):
        return render(request, "shared/_problem.html", status_code=status, message=message)
    if request.headers.get("accept", "").startswith("application/json"):
        return JSONResponse({"problem": message}, status)
    return render(request, "shared/problem.html", status_code=status, message=message, status=status)
