"""Fits the ear's small networks: full-batch L-BFGS with weight decay. Deterministic for a seed."""

import itertools
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from thrumble.core.ear.network import Array, Network

Loss = Callable[[Array], tuple[float, Array]]  # from all outputs (n, outputs) to the mean loss and its slope by the outputs


def fit_network(
    inputs: Array, loss: Loss, *, hidden: tuple[int, ...], outputs: int, decay: float, steps: int = 600, seed: int = 0
) -> Network:
    """A network that makes `loss` small on the examples, shape (n, inputs)."""
    kind = inputs.dtype if inputs.dtype == np.float32 else np.dtype(np.float64)
    centre, scale = inputs.mean(axis=0, dtype=np.float64), inputs.std(axis=0, dtype=np.float64) + 1e-6
    x = np.clip((inputs - centre.astype(kind)) / scale.astype(kind), -4, 4)
    shapes = list(itertools.pairwise([x.shape[1], *hidden, outputs]))
    rng = np.random.default_rng(seed)
    start = np.concatenate([np.concatenate([(rng.standard_normal(s) / np.sqrt(s[0])).ravel(), np.zeros(s[1])]) for s in shapes])

    def descend(flat: Array) -> tuple[float, Array]:
        layers = [(w.astype(kind), b.astype(kind)) for w, b in _layers(flat, shapes)]
        kept = [x]
        for k, (w, b) in enumerate(layers):
            z = kept[-1] @ w + b
            kept.append(np.tanh(z) if k + 1 < len(layers) else z)
        value, slope = loss(kept[-1].astype(np.float64))
        grad = slope.astype(kind)
        gradients = []
        for k in range(len(layers) - 1, -1, -1):
            w = layers[k][0]
            gradients.append(np.concatenate([(kept[k].T @ grad + kind.type(decay) * w).ravel(), grad.sum(axis=0)]))
            value += 0.5 * decay * float((w.astype(np.float64) ** 2).sum())
            if k:
                grad = (grad @ w.T) * (1 - kept[k] ** 2)
        return value, np.concatenate(gradients[::-1]).astype(np.float64)

    best = minimize(descend, start, jac=True, method="L-BFGS-B", options={"maxiter": steps})
    return Network(centre, scale, tuple(_layers(best.x, shapes)))


def _layers(flat: Array, shapes: list[tuple[int, int]]) -> list[tuple[Array, Array]]:
    layers, at = [], 0
    for a, b in shapes:
        layers.append((flat[at : at + a * b].reshape(a, b), flat[at + a * b : at + a * b + b]))
        at += a * b + b
    return layers


def struck_or_not(classes: NDArray[np.int_]) -> Loss:
    """Cross-entropy of one output, the log odds of class 1."""

    def loss(scores: Array) -> tuple[float, Array]:
        z = scores[:, 0]
        value = float((np.logaddexp(0, z) - classes * z).mean())
        return value, ((1 / (1 + np.exp(-z)) - classes) / z.size)[:, np.newaxis]

    return loss


def one_of(classes: NDArray[np.int_]) -> Loss:
    """Cross-entropy of several outputs, the scores of the classes."""

    def loss(scores: Array) -> tuple[float, Array]:
        wanted = np.eye(scores.shape[1])[classes]
        return _soft(scores, wanted)

    return loss


def place_of(wanted: Array) -> Loss:
    """Cross-entropy of places: one output for every place, all places of an example in turn; `wanted` (examples, places) adds up to 1 a row."""

    def loss(scores: Array) -> tuple[float, Array]:
        value, slope = _soft(scores.reshape(wanted.shape), wanted)
        return value, slope.reshape(-1, 1)

    return loss


def near(values: Array, shares: Array) -> Loss:
    """Half the squared distance of one output, each example weighed by its share."""
    weights = (shares / shares.sum())[:, np.newaxis]

    def loss(scores: Array) -> tuple[float, Array]:
        off = scores - values[:, np.newaxis]
        return float(0.5 * (weights * off**2).sum()), weights * off

    return loss


def _soft(scores: Array, wanted: Array) -> tuple[float, Array]:
    shifted = scores - scores.max(axis=1, keepdims=True)
    log_p = shifted - np.log(np.exp(shifted).sum(axis=1, keepdims=True))
    return -float((wanted * log_p).sum() / len(scores)), (np.exp(log_p) - wanted) / len(scores)
