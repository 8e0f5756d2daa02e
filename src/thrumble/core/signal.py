"""Small signal tools shared by the ear and the simulated player. Nothing here needs scipy.signal,
whose import alone takes two seconds."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from thrumble.core.transforms import irfft, rfft

Samples = NDArray[np.float32]
Array = NDArray[np.float64]
Response = Callable[[Array], NDArray[np.complex128]]


def low_pass(cutoff_hz: float, *, q: float = 0.7071) -> Response:
    """Analogue second-order low-pass; `q` above 0.7071 peaks at the cut-off."""

    def response(freq_hz: NDArray[np.float64]) -> NDArray[np.complex128]:
        s = 1j * freq_hz / cutoff_hz
        return np.asarray(1 / (1 + s / q + s * s))

    return response


def high_pass(cutoff_hz: float, *, q: float = 0.7071) -> Response:
    """Analogue second-order high-pass."""

    def response(freq_hz: NDArray[np.float64]) -> NDArray[np.complex128]:
        s = 1j * freq_hz / cutoff_hz
        return np.asarray(s * s / (1 + s / q + s * s))

    return response


def peak(centre_hz: float, *, gain_db: float, q: float) -> Response:
    """Analogue bell: `gain_db` at the centre, flat far from it."""
    gain = 10 ** (gain_db / 40)

    def response(freq_hz: NDArray[np.float64]) -> NDArray[np.complex128]:
        s = 1j * freq_hz / centre_hz
        return np.asarray((s * s + s * gain / q + 1) / (s * s + s / (gain * q) + 1))

    return response


BLOCK = 1 << 15  # fits a processor's cache: long takes go eight times faster than in one transform
AT_ONCE = 4  # blocks: the transforms of so many use the processor's lanes side by side


def filtered(samples: Samples, rate_hz: int, *responses: Response) -> Samples:
    """The samples through analogue filters in a row: causal, as long as before. Shape (n,).

    Works in blocks. Each begins a quarter of a second early: by then the transient of any filter
    used here has died away.
    """
    lap = rate_hz // 4
    size = max(BLOCK, 1 << (4 * lap).bit_length())
    freq_hz = np.asarray(np.fft.rfftfreq(size, 1 / rate_hz), dtype=np.float64)
    table = np.ones(freq_hz.size, dtype=np.complex64)
    for response in responses:
        table *= response(freq_hz).astype(np.complex64)
    # each piece is read on beyond what is kept of it, for a response cut at half the rate rings a
    # little before its time too,
    # and ends in zeros, for the transform is circular and what wraps round must be silence
    out = np.empty(samples.size, dtype=np.float32)
    step = size - 2 * lap
    for start in range(0, samples.size, step * AT_ONCE):
        begins = range(start, min(start + step * AT_ONCE, samples.size), step)
        pieces = np.zeros((len(begins), size), dtype=np.float32)
        for row, begin in zip(pieces, begins, strict=True):
            piece = samples[max(0, begin - lap) : begin + step + lap // 2]
            early = max(0, lap - begin)
            row[early : early + piece.size] = piece
        filtered = irfft(rfft(pieces) * table, size)[:, lap : lap + step].reshape(-1)
        out[start : start + filtered.size] = filtered[: samples.size - start]
    return out


def rms_db(samples: Samples) -> float:
    """Level in dB of full scale; -200 for silence or nothing. Samples of any shape."""
    if not samples.size:
        return -200.0
    return float(10 * np.log10(np.mean(np.square(samples, dtype=np.float64)) + 1e-20))


def analytic(sound: Samples) -> NDArray[np.complex128]:
    """The sound and its quarter-period shift as one complex signal; its real part is the sound, its
    size the envelope. Shape (n,).
    """
    spectrum = np.fft.fft(sound.astype(np.float64))
    spectrum[1 : (sound.size + 1) // 2] *= 2
    spectrum[sound.size // 2 + 1 :] = 0
    return np.asarray(np.fft.ifft(spectrum), dtype=np.complex128)
