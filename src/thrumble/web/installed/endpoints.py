"""Thrumble as an installed app: its manifest, the service worker that shows a page when the server
can't be reached, and that page.
"""

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse

from thrumble.web.templating import WEB, render

router = APIRouter()
ICON_SIZES = (192, 512)
PAPER, INK = "#efe8dc", "#211d19"


@router.get("/manifest.webmanifest", name="web_manifest")
def web_manifest(request: Request) -> JSONResponse:
    """What a browser needs to install the application."""

    def address(name: str, **parts: str) -> str:
        return str(request.app.url_path_for(name, **parts))

    icons = [
        {
            "src": address("files", path=f"installed/icon-{size}.png"),
            "sizes": f"{size}x{size}",
            "type": "image/png",
            "purpose": purpose,
        }
        for size in ICON_SIZES
        for purpose in ("any", "maskable")
    ]
    manifest = {
        "id": "/",
        "name": "Thrumble",
        "short_name": "Thrumble",
        "description": "Practise power chord riffs and see how every hit was.",
        "start_url": address("today_page"),
        "scope": "/",
        "display": "standalone",
        "background_color": PAPER,
        "theme_color": INK,
        "icons": icons,
        "shortcuts": [
            {"name": "Play", "url": address("play_next")},
            {"name": "Takes", "url": address("takes_page")},
        ],
    }
    return JSONResponse(manifest, media_type="application/manifest+json")


@router.get("/worker.js", name="service_worker")
def service_worker() -> FileResponse:
    """The service worker, from the address that lets it see every page."""
    return FileResponse(
        WEB / "installed/worker.js",
        media_type="text/javascript",
        headers={"Cache-Control": "no-cache"},
    )


@router.get("/offline", name="offline_page")
def offline_page(request: Request) -> HTMLResponse:
    """What an installed app shows while the server can't be reached. Nothing of a player is in it:
    the browser keeps it.
    """
    return render(request, "installed/offline.html")
