"""Takes sent through the pages."""

import io

import numpy as np
import soundfile

from tests.queueing import work_once
from tests.web.conftest import Browser
from thrumble.core.player.perform import perform
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts

TEXT = riff_texts()["6-stop-planks"]


RIFF = parse_riff(TEXT)


def wav(samples: np.ndarray, rate: int = 48000) -> bytes:
    out = io.BytesIO()
    soundfile.write(out, samples, rate, format="WAV", subtype="PCM_16")
    return out.getvalue()


def upload(visitor: Browser, riff_id: int, data: bytes, name: str = "take.wav", **fields: str):  # type: ignore[no-untyped-def]
    return visitor.post(f"/play/{riff_id}/upload", files={"take": (name, data)}, data=fields)


def read_take(visitor: Browser, riff_id: int, **fields: str) -> int:
    take = perform(RIFF, seed=3)
    answer = upload(visitor, riff_id, wav(take.samples), **fields)
    assert answer.status_code == 204, answer.text
    work_once()
    return int(answer.headers["hx-redirect"].rsplit("/", 1)[1])
