"""Fourier transforms of many rows at once, in single precision if the input is: SciPy's
pocketfft, three to six times as fast as NumPy's, without SciPy's front.

The front (`scipy.fft`) loads a good part of SciPy and with it NumPy's testing and Fortran tools,
0.4 s of processor time before a shell command can begin; the compiled module alone loads in a
millisecond. It is loaded from SciPy's own folder, whose version is pinned; tests hold it against
`scipy.fft`.
"""

from importlib.machinery import PathFinder
from importlib.util import module_from_spec
from types import ModuleType
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

BACKWARD, INVERSE = 0, 2  # pocketfft's ways to scale: not at all, by one over the length


def _pocketfft() -> ModuleType:
    folder = f"{scipy.__path__[0]}/fft/_pocketfft"
    spec = PathFinder.find_spec("pypocketfft", [folder])
    if spec is None or spec.loader is None:
        raise ImportError(f"no pypocketfft in {folder}: another SciPy than the pinned one?")
    module = module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


_POCKETFFT = _pocketfft()


def _fitted(rows: NDArray[Any], size: int | None) -> NDArray[Any]:
    """The rows cut, or filled up with zeros, to `size` along the last axis."""
    if size is None or rows.shape[-1] == size:
        return rows
    if rows.shape[-1] > size:
        return rows[..., :size]
    filled = np.zeros((*rows.shape[:-1], size), dtype=rows.dtype)
    filled[..., : rows.shape[-1]] = rows
    return filled


def rfft(rows: NDArray[Any], size: int | None = None) -> NDArray[Any]:
    """Transforms of real rows along the last axis, shape (…, size // 2 + 1); rows are cut or filled
    up to `size`. Single precision gives single precision, all else double.
    """
    real = rows if rows.dtype in (np.float32, np.float64) else rows.astype(np.float64)
    axis = real.ndim - 1
    return np.asarray(_POCKETFFT.r2c(_fitted(real, size), (axis,), True, BACKWARD, None, 1))


def irfft(spectra: NDArray[Any], size: int) -> NDArray[Any]:
    """Reverse of `rfft`, shape (…, size)."""
    whole = spectra if np.iscomplexobj(spectra) else spectra + 0j
    whole = _fitted(whole, size // 2 + 1)
    axis = whole.ndim - 1
    return np.asarray(_POCKETFFT.c2r(whole, (axis,), size, False, INVERSE, None, 1))


def fft(rows: NDArray[Any], size: int | None = None) -> NDArray[Any]:
    """Transforms of rows along the last axis, real or not, shape (…, size)."""
    whole = rows if np.iscomplexobj(rows) else rows + 0j
    whole = _fitted(whole, size)
    return np.asarray(_POCKETFFT.c2c(whole, (whole.ndim - 1,), True, BACKWARD, None, 1))


def ifft(spectra: NDArray[Any]) -> NDArray[Any]:
    """Reverse of `fft`, of the same shape."""
    axis = spectra.ndim - 1
    return np.asarray(_POCKETFFT.c2c(spectra, (axis,), False, INVERSE, None, 1))


def next_fast_len(target: int) -> int:
    """The smallest length from `target` on that real rows are transformed quickly at."""
    return int(_POCKETFFT.good_size(target, True))
