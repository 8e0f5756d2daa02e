"""Small signal tools shared by the ear and the simulated player. Nothing here needs scipy.signal, whose import alone takes two seconds."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float32]
Response = Callable[[NDArray[np.float64]], NDArray[np.complex128]]


def low_pass(cutoff_hz: float, *, q: float = 0.7071) -> Response:
    """Analogue second-order low-pass; `q` above 0.7071 peaks at the cut-off."""

    def response(freq_hz: NDArray[np.float64]) -> NDArray[np.complex128]:
        s = 1j * freq_hz / cutoff_hz
        return 1 / (1 + s / q + s * s)

    return response


def high_pass(cutoff_hz: float, *, q: float = 0.7071) -> Response:
    """Analogue second-order high-pass."""

    def response(freq_hz: NDArray[np.float64]) -> NDArray[np.complex128]:
        s = 1j * freq_hz / cutoff_hz
        return s * s / (1 + s / q + s * s)

    return response


def peak(centre_hz: float, *, gain_db: float, q: float) -> Response:
    """Analogue bell: `gain_db` at the centre, flat far from it."""
    gain = 10 ** (gain_db / 40)

    def response(freq_hz: NDArray[np.float64]) -> NDArray[np.complex128]:
        s = 1j * freq_hz / centre_hz
        return (s * s + s * gain / q + 1) / (s * s + s / (gain * q) + 1)

    return response


def filtered(samples: Samples, rate_hz: int, *responses: Response) -> Samples:
    """The samples through analogue filters in a row: causal, as long as before; a tenth of a second of padding holds the tails."""
    size = _fast_length(samples.size + rate_hz // 10)
    freq_hz = np.fft.rfftfreq(size, 1 / rate_hz)
    spectrum = np.fft.rfft(samples, size)
    for response in responses:
        spectrum = spectrum * response(freq_hz)
    return np.asarray(np.fft.irfft(spectrum, size)[: samples.size], dtype=np.float32)


def _fast_length(least: int) -> int:
    """The next size whose only factors are 2, 3 and 5; an FFT of a large prime size is slow."""
    best = 1 << (least - 1).bit_length()
    five = 1
    while five < best:
        three = five
        while three < best:
            size = three << max(0, (-(-least // three) - 1).bit_length())
            best = min(best, size) if size >= least else best
            three *= 3
        five *= 5
    return best


def rms_db(samples: Samples) -> float:
    """Level in dB of full scale; -200 for silence or nothing."""
    if not samples.size:
        return -200.0
    return float(10 * np.log10(np.mean(np.square(samples, dtype=np.float64)) + 1e-20))
