"""Sounds as pages that measure send them: float32 samples, heard at once."""

from typing import Annotated

import numpy as np
from fastapi import Depends, Query, Request

from thrumble.core.errors import BadAudio
from thrumble.web.inputs import SOUND_BYTES, raw_body

HEARD_A_MINUTE = 240


async def _sound(request: Request) -> np.ndarray:
    """Float32 samples of the request's body."""
    samples = np.frombuffer(await raw_body(request, SOUND_BYTES), dtype="<f4")
    if not np.isfinite(samples).all():
        raise BadAudio("this sound holds samples that are not numbers")
    return samples


SentSound = Annotated[np.ndarray, Depends(_sound)]
Rate = Annotated[int, Query(ge=8000, le=192_000)]
