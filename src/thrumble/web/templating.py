"""Jinja, strict: a name a view forgot is an error, not an empty string. Templates place what views
computed, and nothing else.
"""

from pathlib import Path
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape

from thrumble import __version__

WEB = Path(__file__).parent

environment = Environment(
    loader=FileSystemLoader(WEB),
    undefined=StrictUndefined,
    autoescape=select_autoescape(["html"]),
    trim_blocks=True,
    lstrip_blocks=True,
)


def render(
    request: Request, template: str, *, status_code: int = 200, **views: Any
) -> HTMLResponse:
    """An HTML answer from a template and its views; `path('endpoint', …)` gives addresses."""

    def path(name: str, **parameters: Any) -> str:
        return str(request.app.url_path_for(name, **parameters))

    html = environment.get_template(template).render(
        path=path, token=request.state.token, version=__version__, **views
    )
    return HTMLResponse(html, status_code=status_code)
