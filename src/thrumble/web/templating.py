"""Jinja, strict: a name a view forgot is an error, not an empty string. Templates place what views
computed, and nothing else.
"""

from functools import lru_cache
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Request
from fastapi.responses import HTMLResponse
from fastapi.routing import RouteContext, iter_route_contexts
from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape

from thrumble import __version__
from thrumble.web.shared.terms import entry_of

WEB = Path(__file__).parent

environment = Environment(
    loader=FileSystemLoader(WEB),
    undefined=StrictUndefined,
    autoescape=select_autoescape(["html"]),
    trim_blocks=True,
    lstrip_blocks=True,
)

environment.filters["entry"] = entry_of


def render(
    request: Request, template: str, *, status_code: int = 200, **views: Any
) -> HTMLResponse:
    """An HTML answer from a template and its views; `path('endpoint', …)` gives addresses."""

    routes = named_routes(request.app)

    def path(name: str, **parameters: Any) -> str:
        return str(routes[name].url_path_for(name, **parameters))

    html = environment.get_template(template).render(
        path=path,
        token=request.state.token,
        version=__version__,
        player=getattr(request.state, "player", None),
        account=getattr(request.state, "account_signed_in", None),
        **views,
    )
    return HTMLResponse(html, status_code=status_code)


@lru_cache(maxsize=4)
def named_routes(app: FastAPI) -> dict[str, RouteContext]:
    """Every route by its name: a page asks for a hundred addresses, and the application goes
    through all its routes for each.
    """
    return {context.name: context for context in iter_route_contexts(app.routes) if context.name}
