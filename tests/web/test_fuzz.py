"""Odd requests and odd files: whatever comes in, the answer is a clear refusal and never a fault.
Fixed seeds, few examples; the robustness
benchmark asks far more."""

import contextlib
import io
import json
import struct
from typing import Any

import numpy as np
import pytest
import requests
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from tests.web.conftest import Browser
from thrumble.core.errors import BadAudio, RiffError, ThrumbleError
from thrumble.core.player.perform import perform
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.rig.levels import measure_loudness, measure_silence
from thrumble.core.rig.palm import measure_single
from thrumble.demo import riff_texts
from thrumble.formats.audio import read_audio, write_flac
from thrumble.formats.riff_json import read_riff_json, riff_document
from thrumble.trained import EAR

FEW = settings(
    max_examples=8,
    deadline=None,
    derandomize=True,
    database=None,
    phases=[Phase.generate],
    suppress_health_check=[
        HealthCheck.function_scoped_fixture,
        HealthCheck.too_slow,
        HealthCheck.filter_too_much,
        HealthCheck.data_too_large,
    ],
)
TEXT = riff_texts()["6-stop-planks"]
NASTY = [
    "\0",
    "\ud800",
    "²",
    "9" * 5000,
    "-1",
    "1e999",
    "NaN",
    "∞",
    "1/0",
    "((((",
    "|",
    "🎸",
    "\r\n\r\n",
    "4/4:",
    "@",
    "0x10",
    "٣",
    "A" * 70_000,
]


@pytest.fixture
def asked(visitor: Browser, riff_id: int) -> Any:
    """The application with one riff, and a way to send it any prepared request. A fault is an
    answer of 500.
    """
    return visitor.client.app, visitor


def send(visitor: Browser, kwargs: dict[str, Any]) -> int:
    prepared = requests.Request(
        **{
            k: v
            for k, v in kwargs.items()
            if k in ("method", "url", "headers", "params", "json", "data", "files", "cookies")
        }
    ).prepare()
    headers = {
        k: v
        for k, v in prepared.headers.items()
        if k.lower() not in ("cookie", "content-length", "host")
    }
    headers["x-thrumble-token"] = visitor.token
    body = (
        prepared.body
        if isinstance(prepared.body, bytes)
        else (prepared.body or "").encode("utf-8", "surrogatepass")
    )
    try:
        return visitor.client.request(
            str(prepared.method),
            str(prepared.url),
            headers=headers,
            content=body,
            follow_redirects=False,
        ).status_code
    except (UnicodeEncodeError, ValueError):
        return 0  # the client itself cannot send this


def test_no_request_that_the_interface_allows_or_forbids_is_answered_with_a_fault(
    asked: Any,
) -> None:
    app, visitor = asked
    schema = schemathesis.openapi.from_dict(app.openapi())
    seen = 0
    for result in schema.get_all_operations():
        operation = result.ok()

        @FEW
        @given(
            case=operation.as_strategy(generation_mode=schemathesis.GenerationMode.NEGATIVE)
            | operation.as_strategy()
        )
        def ask(case: schemathesis.Case) -> None:
            nonlocal seen
            status = send(visitor, case.as_transport_kwargs(base_url="http://127.0.0.1"))
            seen += status != 0
            assert status < 500 or case.path == "/readyz", (
                f"{case.method} {case.formatted_path}: {status}"
            )

        ask()
    assert seen > 300


def test_nasty_words_in_every_field_are_refused_or_kept_as_they_are(asked: Any) -> None:
    for word in NASTY:
        say(asked[1], word)


def say(visitor: Browser, word: str) -> None:
    paths = [
        "/takes/{}",
        "/riffs/{}",
        "/play/{}",
        "/rig/{}",
        "/rig/tones/{}",
        "/takes/{}/status",
        "/takes/{}/hits/1-{}/correct",
        "/click/{}/accent",
    ]
    for path in paths:
        address = path.replace("{}", requests.utils.quote(word.encode("utf-8", "replace")[:3000]))
        assert visitor.get(address, follow_redirects=False).status_code < 500, path
    forms: list[tuple[str, dict[str, str]]] = [
        ("/rig", {"name": word, "tuning": "E2 A2 D3 G3 B3 E4"}),
        ("/rig", {"name": "x", "tuning": word}),
        ("/rig", {"name": "x", "tuning": "E2 A2 D3 G3 B3 E4", "chain": word, "capo": word}),
        ("/riffs", {"source": TEXT.replace("Stop Planks", word)}),
        ("/riffs", {"source": TEXT.replace("108", word)}),
        ("/riffs/preview", {"source": word}),
    ]
    for path, data in forms:
        answer = visitor.post(
            path,
            content=requests.models.RequestEncodingMixin._encode_params(
                {k: v.encode("utf-8", "surrogatepass") for k, v in data.items()}
            ).encode(),
            headers={"content-type": "application/x-www-form-urlencoded"},
        )
        assert answer.status_code < 500, (path, answer.text[:300])
    queries = [
        "/takes?q={}",
        "/takes?state={}",
        "/riffs?q={}&page={}",
        "/rig/delay?rate={}",
        "/takes/again?total={}",
    ]
    for query in queries:
        address = query.replace("{}", requests.utils.quote(word.encode("utf-8", "replace")[:3000]))
        assert visitor.get(address).status_code < 500, query
    name = word.encode("utf-8", "replace").decode()[:100].replace("\0", "%00").replace("\r\n", " ")
    sound = write_flac(np.zeros(4800, np.float32), 48000)[0]
    assert (
        visitor.post(
            "/play/1/upload",
            files={"take": (name + ".flac", sound)},
            data={"tempo": word[:50].encode("utf-8", "replace").decode()},
        ).status_code
        < 500
    )


def damaged(data: bytes, seed: int) -> bytes:
    rng = np.random.default_rng(seed)
    out = bytearray(data)
    for _ in range(int(rng.integers(1, 12))):
        at = int(rng.integers(0, min(len(out), 200) if rng.random() < 0.7 else len(out)))
        out[at] = int(rng.integers(0, 256))
    return bytes(out[: int(rng.integers(1, len(out)))] if rng.random() < 0.3 else out)


def wav_header(bits: int, channels: int = 1, rate: int = 48000, kind: int = 1) -> bytes:
    body = bytes(2400)
    step = max(1, channels * bits // 8) & 0xFFFF
    head = (
        b"RIFF"
        + struct.pack("<I", 36 + len(body))
        + b"WAVEfmt "
        + struct.pack("<IHHIIHH", 16, kind, channels, rate, (rate * step) & 0xFFFFFFFF, step, bits)
    )
    return head + b"data" + struct.pack("<I", len(body)) + body


@pytest.mark.parametrize(
    "header",
    [
        (0,),
        (255,),
        (7,),
        (16, 0),
        (16, 65535),
        (16, 1, 0),
        (16, 1, 2**32 - 1),
        (16, 1, 48000, 0x4242),
        (64, 1, 48000, 3),
        (0, 0, 0, 0),
    ],
)
def test_impossible_wav_headers_are_sound_or_a_refusal(header: tuple[int, ...]) -> None:
    try:
        assert sum(block.shape[0] for block in read_audio(wav_header(*header)).blocks()) > 0
    except BadAudio:
        return


def test_damaged_files_of_every_kind_are_sound_or_a_refusal() -> None:
    import soundfile

    tone = (0.4 * np.sin(np.arange(9600) / 10)).astype(np.float32)
    kinds = {}
    for kind, subtype in (
        ("WAV", "PCM_16"),
        ("FLAC", "PCM_24"),
        ("OGG", "VORBIS"),
        ("MP3", "MPEG_LAYER_III"),
    ):
        out = io.BytesIO()
        soundfile.write(out, tone, 48000, format=kind, subtype=subtype)
        kinds[kind] = out.getvalue()
    refused = 0
    for data in kinds.values():
        for seed in range(25):
            try:
                assert (
                    sum(block.shape[0] for block in read_audio(damaged(data, seed)).blocks()) >= 0
                )
            except BadAudio:
                refused += 1
    assert refused > 10


@FEW
@given(st.integers(0, 10**6), st.sampled_from(NASTY), st.sampled_from(sorted(riff_texts())))
def test_spoilt_riff_texts_and_documents_are_riffs_or_one_clear_error(
    seed: int, word: str, name: str
) -> None:
    rng = np.random.default_rng(seed)
    text = riff_texts()[name]
    for source, read in (
        (text, parse_riff),
        (json.dumps(riff_document(parse_riff(text))), read_riff_json),
    ):
        for _ in range(6):
            words = source.split(" ")
            words[int(rng.integers(len(words)))] = word
            with contextlib.suppress(RiffError):
                assert read(" ".join(words)).sections


@pytest.mark.parametrize("count", [1, 2, 3, 17, 240])
@pytest.mark.parametrize(
    "hear",
    [
        measure_silence,
        lambda s, r: measure_loudness(s, r, None),
        lambda s, r: measure_single(s, r, ear=EAR),
    ],
)
def test_a_few_samples_are_too_few_and_nothing_worse(hear: Any, count: int) -> None:
    with contextlib.suppress(ThrumbleError):
        assert hear(np.full(count, 0.1, np.float32), 48000) is not None


def test_a_take_of_a_few_samples_is_a_reading_of_silence(asked: Any) -> None:
    from tests.queueing import work_once

    _, visitor = asked
    for data in (
        write_flac(np.zeros(1, np.float32), 48000)[0],
        write_flac(np.full(3, 0.9, np.float32), 48000)[0],
    ):
        address = visitor.post("/play/1/upload", files={"take": ("one.flac", data)}).headers[
            "hx-redirect"
        ]
        work_once()
        assert "We heard nothing" in visitor.get(address).text


def test_correcting_a_hit_that_is_not_there_is_refused(asked: Any) -> None:
    from tests.queueing import work_once

    _, visitor = asked
    take = perform(parse_riff(TEXT), seed=3)
    address = visitor.post(
        "/play/1/upload", files={"take": ("t.flac", write_flac(take.samples, 48000)[0])}
    ).headers["hx-redirect"]
    work_once()
    for hit in ("1-999", "9-0", "0-0", "1-99999999999"):
        for word in ("open", "none"):
            assert (
                visitor.post(
                    f"{address}/hits/{hit}/correct", data={"articulation": word}
                ).status_code
                == 404
            ), hit
