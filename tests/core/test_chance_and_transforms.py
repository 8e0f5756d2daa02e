"""What is our own where the library's front is too slow to load, held against the library."""

from typing import Any

import numpy as np
import pytest
import scipy.fft
import scipy.special
import scipy.stats
from hypothesis import given, settings
from hypothesis import strategies as st

from thrumble.core.chance import (
    binom_sf,
    f_sf,
    incomplete_beta,
    t_cdf,
    t_two_sided_95,
)
from thrumble.core.transforms import fft, ifft, irfft, next_fast_len, rfft


@settings(max_examples=200, deadline=None)
@given(st.floats(0.05, 2000), st.floats(0.05, 2000), st.floats(0, 1))
def test_the_incomplete_beta_is_the_librarys(a: float, b: float, x: float) -> None:
    assert incomplete_beta(a, b, x) == pytest.approx(scipy.special.betainc(a, b, x), abs=1e-10)


@settings(max_examples=100, deadline=None)
@given(st.integers(1, 800), st.integers(-1, 800), st.floats(0.001, 0.999))
def test_more_than_so_many_of_so_many(of: int, count: int, share: float) -> None:
    asked = scipy.stats.binom.sf(count, of, share)
    assert binom_sf(count, of, share) == pytest.approx(asked, abs=1e-10)


@settings(max_examples=100, deadline=None)
@given(st.integers(1, 400), st.integers(1, 400), st.floats(-40, 40))
def test_students_and_fishers_tails(freedom: int, above: int, value: float) -> None:
    assert t_cdf(freedom, value) == pytest.approx(scipy.stats.t.cdf(value, freedom))
    asked = scipy.stats.f.sf(abs(value), above, freedom)
    assert f_sf(above, freedom, abs(value)) == pytest.approx(asked, abs=1e-10)


def test_the_ends_of_the_tails() -> None:
    assert t_cdf(3, -np.inf) == 0 and t_cdf(3, np.inf) == 1
    assert f_sf(4, 50, 0) == 1 and f_sf(4, 50, -1) == 1
    assert incomplete_beta(2, 3, -0.1) == 0 and incomplete_beta(2, 3, 1.1) == 1


@pytest.mark.parametrize("freedom", [1, 2, 3, 5, 30, 400])
def test_the_reach_of_a_95_percent_interval(freedom: int) -> None:
    assert t_two_sided_95(freedom) == pytest.approx(scipy.stats.t.ppf(0.975, freedom), abs=1e-6)


@pytest.mark.parametrize("kind", [np.float32, np.float64])
@pytest.mark.parametrize("size", [None, 37, 64, 100])
def test_transforms_are_the_librarys(kind: type, size: int | None) -> None:
    rows: Any = np.random.default_rng(3).normal(size=(3, 2, 64)).astype(kind)
    near = {"rtol": 1e-4, "atol": 1e-4} if kind is np.float32 else {"rtol": 1e-12, "atol": 1e-12}
    spectra = rfft(rows, size)
    assert spectra.dtype == (np.complex64 if kind is np.float32 else np.complex128)
    np.testing.assert_allclose(spectra, scipy.fft.rfft(rows, size), **near)
    back = irfft(spectra, size or 64)
    np.testing.assert_allclose(back, scipy.fft.irfft(spectra, size or 64), **near)
    assert back.dtype == kind
    powers = np.abs(spectra) ** 2
    np.testing.assert_allclose(irfft(powers, 64), scipy.fft.irfft(powers, 64), **near)
    whole = fft(rows, size)
    np.testing.assert_allclose(whole, scipy.fft.fft(rows, size), **near)
    np.testing.assert_allclose(ifft(whole), scipy.fft.ifft(whole), **near)


def test_whole_numbers_are_transformed_too_and_lengths_are_quick_ones() -> None:
    train = np.bincount([0, 3, 5])
    np.testing.assert_allclose(rfft(train, 16), scipy.fft.rfft(train, 16), atol=1e-12)
    for target in (1, 17, 1013, 65_537):
        assert next_fast_len(target) == scipy.fft.next_fast_len(target, real=True)
