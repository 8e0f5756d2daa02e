"""How likely chance alone does it: tails of the binomial, Student's, Fisher's and the normal
distribution.

The first three are the regularised incomplete beta function (Abramowitz and Stegun 26.5), by
Lentz's continued fraction. `scipy.special` has them too, but loads in 0.3 s, a third of what a
shell command may take; tests hold these against it.
"""

from collections.abc import Sequence
from functools import lru_cache
from math import erfc, exp, isinf, lgamma, log, log1p, sqrt

import numpy as np

from thrumble.core.signal import Array

EXACT = 1e-14
TINY = 1e-300
MAX_TERMS = 10_000


def incomplete_beta(a: float, b: float, x: float) -> float:
    """I_x(a, b), 0 to 1, of positive `a` and `b`; x is taken as 0 to 1."""
    if x <= 0:
        return 0.0
    if x >= 1:
        return 1.0
    if x > (a + 1) / (a + b + 2):  # where the fraction converges slowly the other side is quick
        return 1 - incomplete_beta(b, a, 1 - x)
    factor = exp(lgamma(a + b) - lgamma(a) - lgamma(b) + a * log(x) + b * log1p(-x))
    return factor * _fraction(a, b, x) / a


def _fraction(a: float, b: float, x: float) -> float:
    c, d = 1.0, 1 / _not_zero(1 - (a + b) * x / (a + 1))
    out = d
    for m in range(1, MAX_TERMS):
        step = 1.0
        for numerator in (
            m * (b - m) * x / ((a + 2 * m - 1) * (a + 2 * m)),
            -(a + m) * (a + b + m) * x / ((a + 2 * m) * (a + 2 * m + 1)),
        ):
            d = 1 / _not_zero(1 + numerator * d)
            c = _not_zero(1 + numerator / c)
            step = c * d
            out *= step
        if abs(step - 1) < EXACT:
            break
    return out


def _not_zero(value: float) -> float:
    return value if abs(value) > TINY else TINY


def binom_sf(count: int, of: int, share: float) -> float:
    """Chance of more than `count` among `of` that each come with chance `share`; 1 below nought, 0
    from `of` on.
    """
    if count < 0:
        return 1.0
    if count >= of:
        return 0.0
    return incomplete_beta(count + 1, of - count, share)


def poisson_binomial_sf(count: int, chances: Sequence[float]) -> float:
    """P(X > count) for the sum X of independent trials, each with a chance of its own; 1 for
    negative counts.

    By the recursion over trials (Chen and Liu 1997), stopped at `count`: O(n count) steps.
    """
    if count < 0:
        return 1.0
    exactly = [1.0] + [0.0] * count  # the chance of 0, 1, ... count successes so far
    for chance in chances:
        for k in range(count, 0, -1):
            exactly[k] = exactly[k] * (1 - chance) + exactly[k - 1] * chance
        exactly[0] *= 1 - chance
    return max(0.0, 1.0 - sum(exactly))


def t_cdf(freedom: float, t: float) -> float:
    """Chance that Student's t with so many degrees of freedom lies below `t`."""
    if isinf(t):
        return float(t > 0)
    tail = incomplete_beta(freedom / 2, 0.5, freedom / (freedom + t * t)) / 2
    return tail if t < 0 else 1 - tail


@lru_cache(maxsize=256)
def t_ppf(freedom: float, share: float) -> float:
    """The t below which Student's t lies with chance `share`, 0.5 to 1 without the ends; halving to
    one in a thousand million.
    """
    low, high = 0.0, 1.0
    while t_cdf(freedom, high) < share:
        high *= 2
    while high - low > 1e-9 * high:
        middle = (low + high) / 2
        low, high = (middle, high) if t_cdf(freedom, middle) < share else (low, middle)
    return (low + high) / 2


def f_sf(above: float, below: float, ratio: float) -> float:
    """Chance that a ratio of variances with `above` and `below` degrees of freedom lies above
    `ratio`; 1 for none.
    """
    if ratio <= 0:
        return 1.0
    return incomplete_beta(below / 2, above / 2, below / (below + above * ratio))


def t_two_sided_95(freedom: int) -> float:
    """97.5 % point of Student's t, of at least one degree of freedom: the reach of a 95 % interval
    in standard errors; by bisection.
    """
    low, high = 1.9, 13.0  # from the normal distribution's to that of one degree of freedom
    while high - low > 1e-9:
        middle = (low + high) / 2
        if t_cdf(freedom, middle) < 0.975:
            low = middle
        else:
            high = middle
    return (low + high) / 2


NORMAL_ENDS, NORMAL_STEPS = 9.0, 7201


def norm_cdf(x: Array | float) -> Array:
    """Chance of less than `x` for a standard normal, any shape, from a table of erfc; within 1e-6,
    rising throughout.
    """
    at, below = _normal_table()
    return np.asarray(np.interp(x, at, below))


@lru_cache(maxsize=1)
def _normal_table() -> tuple[Array, Array]:
    at = np.linspace(-NORMAL_ENDS, NORMAL_ENDS, NORMAL_STEPS)
    return at, np.array([erfc(-value / sqrt(2)) / 2 for value in at])
