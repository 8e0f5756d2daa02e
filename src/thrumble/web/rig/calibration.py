"""The rig's latency: measured from clicks that come back or strikes on the strings, and kept for
each browser and input.
"""

from typing import Annotated

import numpy as np
from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, JSONResponse
from pydantic import Field

from thrumble.core.errors import BadAudio
from thrumble.core.rig.calibration import (
    hear_strikes,
    measure_drum,
    measure_return,
    openings_spread_ms,
)
from thrumble.store.rig import rigs
from thrumble.store.rig.rigs import NewCalibration
from thrumble.trained import EAR
from thrumble.web.deps import DbSession, PlayerId, costly
from thrumble.web.inputs import Line, Sent
from thrumble.web.rig.views import (
    calibration_view,
    delay_words,
)
from thrumble.web.shared.sounds import HEARD_A_MINUTE, Rate, SentSound
from thrumble.web.templating import render

router = APIRouter()


class Opening(Sent):
    """The latency measured in one opening of the input stream."""

    delay_ms: Annotated[float, Field(ge=-150, le=500)]
    repeat_ms: Annotated[float, Field(ge=0, le=200)]


class Measured(Sent):
    """A calibration to keep: the openings in their order, the first one with most clicks."""

    device: Annotated[Line, Field(max_length=200)]
    rate: Annotated[int, Field(ge=8000, le=192_000)]
    kind: Annotated[str, Field(pattern="^(return|drum)$")]
    openings: Annotated[list[Opening], Field(min_length=1, max_length=12)]


@router.get("/rig/calibrate", name="calibrate_page")
def calibrate_page(request: Request, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """Measuring how late the recorder hears what is played."""
    delays = [
        c for c in rigs.calibrations_of(session, player_id) if c.browser == request.state.browser
    ]
    return render(request, "rig/calibrate.html", view=calibration_view(delays))


@router.post("/rig/calibrate/hear", name="hear_clicks", dependencies=[costly(HEARD_A_MINUTE)])
def hear_clicks(
    samples: SentSound,
    rate: Rate,
    clicks: Annotated[str, Query(max_length=600)],
    kind: Annotated[str, Query(pattern="^(return|drum)$")] = "return",
) -> JSONResponse:
    """One opening of the stream: the sound and the frames at which clicks went out."""
    try:
        frames = [int(frame) for frame in clicks.split(",")]
    except ValueError:
        raise BadAudio("clicks are frame numbers with commas between them") from None
    latency = (
        measure_return(samples, rate, frames)
        if kind == "return"
        else measure_drum(hear_strikes(samples, rate, ear=EAR), np.array(frames) / rate)
    )
    return JSONResponse(
        {
            "delay_ms": latency.delay_ms,
            "repeat_ms": latency.repeat_ms,
            "clicks": len(latency.delays_ms),
            "delays_ms": list(latency.delays_ms),
        }
    )


@router.post("/rig/calibrate", name="keep_calibration")
def keep_calibration(
    request: Request, measured: Measured, session: DbSession, player_id: PlayerId
) -> JSONResponse:
    """Keeps a measurement for this browser, device and rate; none is ever changed."""
    delays = [opening.delay_ms for opening in measured.openings]
    calibration = rigs.add_calibration(
        session,
        player_id,
        NewCalibration(
            browser=request.state.browser,
            device=measured.device,
            rate_hz=measured.rate,
            kind=measured.kind,
            delay_ms=round(float(np.median(delays)), 3),
            repeat_ms=measured.openings[0].repeat_ms,
            spread_ms=openings_spread_ms(delays),
            openings_ms=delays,
        ),
    )
    return JSONResponse(
        {
            "delay_ms": calibration.delay_ms,
            "spread_ms": calibration.spread_ms,
            "words": delay_words(calibration),
        },
        201,
    )


@router.get("/rig/delay", name="known_delay")
def known_delay(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    rate: Rate,
    device: Annotated[Line, Query(max_length=200)] = "",
) -> JSONResponse:
    """The delay of exactly this browser, device and rate, if it was measured."""
    latency = rigs.newest_calibration(
        session, player_id, browser=request.state.browser, device=device, rate_hz=rate
    )
    if latency is None:
        others = any(
            c.browser == request.state.browser for c in rigs.calibrations_of(session, player_id)
        )
        words = "latency not measured for this input" if others else "latency not measured"
        return JSONResponse({"delay_ms": None, "words": words})
    return JSONResponse(
        {"delay_ms": latency.delay_ms, "words": f"latency {latency.delay_ms:.1f} ms"}
    )
